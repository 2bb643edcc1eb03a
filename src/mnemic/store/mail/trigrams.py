"""What the trigram index is asked for, so that its answer holds every text that is looked for."""

from collections.abc import Iterable

__all__ = ["trigram_query"]

#: About so many trigrams are asked for of one text: each makes the answer narrower and costs a
#: look-up. At 100,000 messages one costs a millisecond at most, as much as to read 100 texts; of
#: words of the same few syllables it is the twelfth that keeps most of them from being read.
_TRIGRAMS = 12


def _trigrams(value: str) -> list[str]:
    """Enough trigrams of a text, evenly spread over it; none where it is too short for one."""
    count = len(value) - 2
    if count <= 0:
        return []
    step = max(1, count // _TRIGRAMS)
    return list(dict.fromkeys(value[at : at + 3] for at in range(0, count, step)))


def trigram_query(values: Iterable[Iterable[str]]) -> str | None:
    """An FTS5 query that all texts with all pieces of one of the values pass.

    None where the pieces of one are too short, or it has none.
    """
    queries = []
    for pieces in values:
        trigrams = dict.fromkeys(trigram for piece in pieces for trigram in _trigrams(piece))
        quoted = ['"' + each.replace('"', '""') + '"' for each in trigrams]
        if not quoted:
            return None
        queries.append(f"({' AND '.join(quoted)})")
    return f"({' OR '.join(queries)})"
