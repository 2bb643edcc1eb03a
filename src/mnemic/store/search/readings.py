"""What conditions read of messages that were parsed for them: kept packed, some hundred together.

A header field of 500,000 messages would take hundreds of megabytes as texts of their own. Packed it
takes a tenth, and to unpack all of it a fraction of the time that it took to read.
"""

import pickle
import zlib
from collections.abc import Collection, Hashable, Iterable, Mapping, Sequence
from threading import Lock

import numpy as np
from numpy.typing import NDArray

__all__ = ["Readings"]

#: Readings that are packed together; fewer are put together with what comes next.
_TOGETHER = 200

#: Octets that are kept of one kind of reading. What has no room is read again.
_MOST = 48 * 1024 * 1024

#: How hard zlib tries, of 9: others wait meanwhile.
_LEVEL = 1

_NONE = np.zeros(1, np.int32)


def _packed(readings: Mapping[int, Hashable]) -> bytes:
    return zlib.compress(pickle.dumps(dict(readings)), _LEVEL)


def _unpacked(block: bytes) -> dict[int, Hashable]:
    readings: dict[int, Hashable] = pickle.loads(zlib.decompress(block))  # noqa: S301 -- our own
    return readings


class Readings:
    """What conditions read of messages, by id; for any number of threads."""

    def __init__(self, most: int = _MOST, together: int = _TOGETHER) -> None:
        """``most`` is how many octets are kept, ``together`` how many readings are packed."""
        self._guard = Lock()
        self._most, self._together = most, together
        self._blocks: dict[int, bytes] = {}
        self._newest = 0
        self._block_of: NDArray[np.int32] = _NONE  # by id; 0: nothing is known
        self._octets = 0

    @property
    def nbytes(self) -> int:
        """The size of all that is kept, in octets."""
        return self._octets + self._block_of.nbytes

    def of(self, ids: Sequence[int]) -> dict[int, Hashable]:
        """What was read of these messages, as far as it is known."""
        with self._guard:
            blocks = [self._blocks[number] for number in self._numbers(ids)]
        wanted = set(ids)
        return {
            message_id: reading
            for block in blocks
            for message_id, reading in _unpacked(block).items()
            if message_id in wanted
        }

    def add(self, readings: Mapping[int, Hashable]) -> None:
        """Keep what was read of messages, if there is room; of a message it is always the same."""
        if not readings or self.nbytes > self._most:
            return
        with self._guard:
            self._grow(max(readings))
            new = {key: reading for key, reading in readings.items() if not self._block_of[key]}
            if not new:  # another thread read the same
                return
            newest = self._blocks.get(self._newest)
            before = {} if newest is None else _unpacked(newest)
            if newest is None or len(before) >= self._together:
                self._newest, before = self._newest + 1, {}
            self._block_of[list(new)] = self._newest
            self._put(self._newest, {**before, **new})

    def forget(self, ids: Collection[int]) -> None:
        """Let go of what was read of messages."""
        gone = frozenset(ids)
        with self._guard:
            for number in self._numbers(ids):
                block = _unpacked(self._blocks[number])
                self._put(
                    number, {key: reading for key, reading in block.items() if key not in gone}
                )
            known = [message_id for message_id in ids if message_id < self._block_of.size]
            self._block_of[known] = 0

    def _numbers(self, ids: Iterable[int]) -> list[int]:
        known = [message_id for message_id in ids if message_id < self._block_of.size]
        numbers = set(self._block_of[known].tolist())
        return sorted(numbers - {0})

    def _put(self, number: int, readings: Mapping[int, Hashable]) -> None:
        block = _packed(readings)
        self._octets += len(block) - len(self._blocks.get(number, b""))
        self._blocks[number] = block

    def _grow(self, top: int) -> None:
        if top >= self._block_of.size:
            wider = np.zeros(top + top // 8 + 1, np.int32)
            wider[: self._block_of.size] = self._block_of
            self._block_of = wider
