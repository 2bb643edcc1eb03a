"""What the trigram index is asked for, so that its answer holds every text that is looked for."""

from collections.abc import Mapping, Sequence

__all__ = ["trigram_query"]

#: About so many trigrams are asked for of one text: each makes the answer narrower and costs a
#: look-up. At 100,000 messages one costs a millisecond at most, as much as to read 100 texts; of
#: words of the same few syllables it is the twelfth that keeps most of them from being read.
_TRIGRAMS = 12

#: Of so many values each is asked for with fewer: any of them may pass.
_SEVERAL, _TRIGRAMS_OF_SEVERAL = 8, 4

#: So many are asked for of each value, common or not.
_FEWEST = 3


def _trigrams(text: str) -> dict[str, None]:
    """The trigrams of a text in their order; none where it is too short."""
    return dict.fromkeys(text[at : at + 3] for at in range(len(text) - 2))


def _spread(trigrams: Sequence[str], wanted: int) -> Sequence[str]:
    """About so many of them, evenly spread."""
    return trigrams[:: max(1, len(trigrams) // wanted)]


def _telling(pieces: Sequence[str], wanted: int, common: Mapping[str, float]) -> list[str]:
    """About so many trigrams of a value's pieces: those that are not common, and some at least."""
    every = [_trigrams(piece) for piece in pieces]
    each = max(1, wanted // max(1, len(pieces)))
    found = {
        trigram: None
        for trigrams in every
        for trigram in _spread([one for one in trigrams if one not in common], each)
    }
    if len(found) < _FEWEST:
        others = sorted(
            (one for trigrams in every for one in trigrams), key=lambda one: common.get(one, 0)
        )
        found |= dict.fromkeys(others[:_FEWEST])
    return list(found)


def trigram_query(
    values: Sequence[Sequence[str]], common: Mapping[str, float] | None = None
) -> str | None:
    """An FTS5 query that all texts with all pieces of one of the values pass.

    It leaves out what is ``common``, by trigram the share of texts that have it, where enough
    others are left. None where the pieces of one are too short, or it has none.
    """
    wanted = _TRIGRAMS_OF_SEVERAL if len(values) > _SEVERAL else _TRIGRAMS
    queries = []
    for pieces in values:
        trigrams = _telling(pieces, wanted, common or {})
        quoted = ['"' + trigram.replace('"', '""') + '"' for trigram in trigrams]
        if not quoted:
            return None
        queries.append(f"({' AND '.join(quoted)})")
    return f"({' OR '.join(queries)})"
