"""Sets of messages as the bits of a whole number: bit ``n`` stands for the message with id ``n``.

What one condition takes of 100,000 messages is 12 KB, and to put two together costs microseconds.
"""

from collections.abc import Iterable, Iterator
from typing import TypeAlias

__all__ = ["MessageSet", "ids_in", "set_of"]

MessageSet: TypeAlias = int


def set_of(ids: Iterable[int]) -> MessageSet:
    """The set of these messages."""
    ids = list(ids)
    octets = bytearray(max(ids, default=0) // 8 + 1)
    for message in ids:
        octets[message >> 3] |= 1 << (message & 7)
    return int.from_bytes(octets, "little")


def ids_in(messages: MessageSet) -> Iterator[int]:
    """The ids of a set's messages, the lowest first."""
    digits = bin(messages)[:1:-1]  # to look for a letter is faster than any sum
    at = digits.find("1")
    while at >= 0:
        yield at
        at = digits.find("1", at + 1)
