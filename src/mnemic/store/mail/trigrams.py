"""What the trigram index is asked for, so that its answer holds every text that is looked for."""

from collections.abc import Sequence

__all__ = ["trigram_query"]

#: About so many trigrams are asked for of one text: each makes the answer narrower and costs a
#: look-up. At 100,000 messages one costs a millisecond at most, as much as to read 100 texts; of
#: words of the same few syllables it is the twelfth that keeps most of them from being read.
_TRIGRAMS = 12

#: Of so many values each is asked for with fewer: any of them may pass.
_SEVERAL, _TRIGRAMS_OF_SEVERAL = 8, 4


def _trigrams(value: str, wanted: int) -> list[str]:
    """About so many trigrams of a text, evenly spread over it; none where it is too short."""
    count = len(value) - 2
    if count <= 0:
        return []
    step = max(1, count // wanted)
    return list(dict.fromkeys(value[at : at + 3] for at in range(0, count, step)))


def trigram_query(values: Sequence[Sequence[str]]) -> str | None:
    """An FTS5 query that all texts with all pieces of one of the values pass.

    None where the pieces of one are too short, or it has none.
    """
    wanted = _TRIGRAMS_OF_SEVERAL if len(values) > _SEVERAL else _TRIGRAMS
    queries = []
    for pieces in values:
        each = max(1, wanted // max(1, len(pieces)))
        trigrams = dict.fromkeys(found for piece in pieces for found in _trigrams(piece, each))
        quoted = ['"' + trigram.replace('"', '""') + '"' for trigram in trigrams]
        if not quoted:
            return None
        queries.append(f"({' AND '.join(quoted)})")
    return f"({' OR '.join(queries)})"
