"""What conditions say of the octets of messages: worked out once, and shared by all readers.

The octets of a message never change, and its id never comes again: what a condition says of them
stays true, whatever is committed. New messages are added above and older ones below, when somebody
asks for them.
"""

from collections.abc import Callable, Collection, Hashable
from contextlib import suppress
from dataclasses import dataclass
from threading import Lock

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from mnemic.store.conditions_sql.ids import IdRange, Ids
from mnemic.store.search.readings import Readings

__all__ = ["ContentMasks", "Mask", "how_many"]

Mask = NDArray[np.bool_]


def how_many(mask: Mask) -> int:
    """How many messages a mask marks."""
    return int(np.count_nonzero(mask))  # several times as quick as the sum


#: Octets of masks that are kept; one over 500,000 messages has 62 KB.
_MOST_MASKS = 64 * 1024 * 1024

#: Octets of what was read of parsed messages that are kept.
_MOST_READINGS = 64 * 1024 * 1024

#: New messages that are looked for while somebody waits.
_FEW = 2_000


@dataclass(frozen=True, slots=True)
class _Answered:
    """The messages for which a condition holds, eight to an octet, of the ids above ``low``.

    Of ids above ``high`` nothing is known yet.
    """

    bits: NDArray[np.uint8]
    low: int
    high: int

    @property
    def nbytes(self) -> int:
        return self.bits.nbytes

    def mask(self, id_range: IdRange) -> Mask:
        """The messages of a range of ids that lies within what is known."""
        first, end = (id_range.low + 1) // 8, id_range.high // 8 + 1
        mask = np.unpackbits(self.bits[first:end]).view(np.bool_)
        return mask[id_range.low + 1 - first * 8 : id_range.high + 1 - first * 8]

    def widened(self, low: int, high: int, ids: Ids) -> "_Answered":
        """The same of a wider range of ids, with the messages for which it holds there."""
        mask = np.zeros(high + 1, np.bool_)
        known = np.unpackbits(self.bits)[: high + 1].view(np.bool_)
        mask[: known.size] = known
        mask[ids] = True
        return _Answered(np.packbits(mask), low, high)


def _octets(value: _Answered | Readings) -> int:
    return value.nbytes


class ContentMasks:
    """Masks of conditions on what messages say; for readers alone, in whatever thread.

    A writer may see messages that are never committed, and has no business here.
    """

    def __init__(self, most: int = _MOST_MASKS) -> None:
        """``most`` is how many octets of masks are kept."""
        self._guard = Lock()
        self._answered: LRUCache[Hashable, _Answered] = LRUCache(most, getsizeof=_octets)
        self._readings: LRUCache[Hashable, Readings] = LRUCache(_MOST_READINGS, getsizeof=_octets)

    @property
    def octets(self) -> int:
        """The size of all that is kept, in octets."""
        return int(self._answered.currsize + self._readings.currsize)

    def forget(self) -> None:
        """Let go of all that is kept."""
        with self._guard:
            self._answered.clear()
            self._readings.clear()

    def of(self, test: Hashable, id_range: IdRange, find: Callable[[IdRange], Ids]) -> Mask:
        """The messages of a range for which a test holds; ``find`` is asked what is not known.

        The test is a condition, or several put together. Two threads may look for the same at once;
        what either finds is right.
        """
        with self._guard:
            answered = self._answered.get(test)
        if answered is None:
            nothing = np.zeros(0, np.uint8)
            answered = _Answered(nothing, id_range.high, id_range.high)
        wider = answered
        if id_range.high > wider.high:
            above = IdRange(wider.high, id_range.high)
            wider = wider.widened(wider.low, above.high, find(above))
        if id_range.low < wider.low:
            below = IdRange(id_range.low, wider.low)
            wider = wider.widened(below.low, wider.high, find(below))
        if wider is not answered:
            self._keep(test, wider)
        return wider.mask(id_range)

    def is_known(self, test: Hashable, id_range: IdRange) -> bool:
        """Whether all but a few new messages of a range need not be looked for."""
        with self._guard:
            answered = self._answered.get(test)
        known = answered is not None and answered.low <= id_range.low
        return known and id_range.high - answered.high <= _FEW  # type: ignore[union-attr] # known

    def _keep(self, test: Hashable, answered: _Answered) -> None:
        with self._guard, suppress(ValueError):  # larger than the whole of the room
            known = self._answered.pop(test, None)
            if known is not None and known.high - known.low > answered.high - answered.low:
                answered = known
            self._answered[test] = answered

    def readings(self, key: Hashable) -> Readings:
        """What was read of messages under a key, to be added to and then kept."""
        with self._guard:
            readings = self._readings.get(key)
        return Readings() if readings is None else readings

    def forget_messages(self, ids: Collection[int]) -> None:
        """Let go of what was read of messages that are destroyed."""
        with self._guard:
            kept = list(self._readings.values())
        for readings in kept:
            readings.forget(ids)

    def keep_readings(self, key: Hashable, readings: Readings) -> None:
        """Keep what was read, also what has grown meanwhile, as far as there is room."""
        with self._guard, suppress(ValueError):
            self._readings.pop(key, None)
            self._readings[key] = readings
