"""Sets of message numbers and UIDs as IMAP writes them (RFC 9051, section 9: sequence-set)."""

from collections.abc import Iterable

__all__ = ["as_set", "ranges"]


def ranges(written: bytes, top: int) -> list[tuple[int, int]]:
    """A set as rising, joined ranges; ``top`` is what ``*`` means.

    Raises ValueError where it is no set.
    """
    pairs = []
    for part in written.split(b","):
        first, _, last = part.partition(b":")
        low = top if first == b"*" else int(first)
        high = low if not last else top if last == b"*" else int(last)
        if min(low, high) < 1 and top:
            raise ValueError("numbers start at 1")
        pairs.append((min(low, high), max(low, high)))
    joined: list[tuple[int, int]] = []
    for low, high in sorted(pairs):
        if joined and low <= joined[-1][1] + 1:
            joined[-1] = (joined[-1][0], max(high, joined[-1][1]))
        else:
            joined.append((low, high))
    return joined


def as_set(numbers: Iterable[int]) -> bytes:
    """Numbers in their given order as a set, runs shortened."""
    runs: list[list[int]] = []
    for number in numbers:
        if runs and number == runs[-1][1] + 1:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    return b",".join(b"%d" % low if low == high else b"%d:%d" % (low, high) for low, high in runs)
