"""What the trigram index is asked for, so that its answer holds every text that is looked for."""

from collections.abc import Mapping, Sequence
from itertools import chain

__all__ = ["trigram_query"]

#: So many trigrams at most are asked for of one text: each makes the answer narrower and costs a
#: look-up. At 100,000 messages one costs a millisecond at most, as much as to read 100 texts; of
#: words of the same few syllables it is the twelfth that keeps most of them from being read.
_TRIGRAMS = 12

#: If there are so many values, fewer trigrams of each are asked for: any of them may pass.
_SEVERAL, _TRIGRAMS_OF_SEVERAL = 8, 4

#: A trigram is common, or rare, that stands in more, or less, than such a share of the mail.
_COMMON, _RARE = 0.25, 0.05

#: So many are asked for of each value, common or not; and of rare ones so many are enough.
_FEWEST, _ENOUGH = 3, 5


def _trigrams(text: str) -> dict[str, None]:
    """The trigrams of a text in their order; none where it is too short."""
    return dict.fromkeys(text[at : at + 3] for at in range(len(text) - 2))


def _spread(trigrams: Sequence[str], wanted: int) -> Sequence[str]:
    """So many of them at most, evenly spread."""
    if len(trigrams) <= wanted:
        return trigrams
    return [trigrams[at * len(trigrams) // wanted] for at in range(wanted)]


def _telling(pieces: Sequence[str], wanted: int, shares: Mapping[str, float]) -> list[str]:
    """About so many trigrams of a value's pieces: those that tell most, and some at least."""
    every = [_trigrams(piece) for piece in pieces]
    unique = list(dict.fromkeys(chain(*every)))
    rare = [one for one in unique if shares.get(one, 0) < _RARE]
    if shares and len(rare) >= _ENOUGH:
        return list(_spread(rare, min(wanted, _ENOUGH)))
    of_each_piece = max(1, wanted // max(1, len(pieces)))
    telling = {
        trigram: None
        for trigrams in every
        for trigram in _spread(
            [one for one in trigrams if shares.get(one, 0) < _COMMON], of_each_piece
        )
    }
    if len(telling) < _FEWEST:
        telling |= dict.fromkeys(sorted(unique, key=lambda one: shares.get(one, 0))[:_FEWEST])
    return list(telling)


def trigram_query(
    values: Sequence[Sequence[str]], shares: Mapping[str, float] | None = None
) -> str | None:
    """An FTS5 query that all texts with all pieces of one of the values pass.

    Where the ``shares`` of texts are known that have a trigram, it asks for those that tell most.
    None where the pieces of one are too short, or it has none.
    """
    wanted = _TRIGRAMS_OF_SEVERAL if len(values) > _SEVERAL else _TRIGRAMS
    queries = []
    for pieces in values:
        trigrams = _telling(pieces, wanted, shares or {})
        quoted = ['"' + trigram.replace('"', '""') + '"' for trigram in trigrams]
        if not quoted:
            return None
        queries.append(f"({' AND '.join(quoted)})")
    return f"({' OR '.join(queries)})"
