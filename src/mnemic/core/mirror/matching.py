"""Which of the messages that are new on a server are ones that were known elsewhere before."""

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

__all__ = ["KnownBy", "Matched", "Missing", "Spot", "matched"]


class Spot(NamedTuple):
    """Where a message lies on a server: a folder, and its UID there."""

    folder: int
    uid: int


class KnownBy(NamedTuple):
    """What a message is known again by without its octets.

    ``message_id`` is its Message-ID, or None: then it can't be known so. ``received`` is its
    INTERNALDATE, in seconds since 1970.
    """

    message_id: str | None
    size: int
    received: int


@dataclass(frozen=True, slots=True)
class Missing:
    """A message that lies no more where it lay; ``expected`` is a folder it was told to go to.

    One that still ``lies`` where it was may only be found where it was told to go: it was copied
    there, and nobody heard.
    """

    message: int
    known_by: KnownBy
    expected: int | None = None
    lies: bool = False


@dataclass(frozen=True, slots=True)
class Matched:
    """The messages that were found again, by their new spots, and the spots that nobody knows.

    ``unsure`` may be a missing message: its octets are to be compared.
    """

    message_at: Mapping[Spot, int]
    unsure: frozenset[Spot]


def matched(missing: Iterable[Missing], new: Mapping[Spot, KnownBy]) -> Matched:
    """Find missing messages among those that are new.

    A message that was told to go to a folder is looked for there first. Else one is known again
    where Message-ID, size and date name it alone on both sides.
    """
    spots: dict[KnownBy, list[Spot]] = defaultdict(list)
    for spot, known_by in new.items():
        spots[known_by].append(spot)
    message_at: dict[Spot, int] = {}
    left: dict[KnownBy, list[int]] = defaultdict(list)
    unsure: set[Spot] = set()
    for sought in missing:
        there = [spot for spot in spots.get(sought.known_by, []) if spot.folder == sought.expected]
        if sought.known_by.message_id is not None and len(there) == 1:
            message_at[there[0]] = sought.message
            spots[sought.known_by].remove(there[0])
        elif sought.lies:
            unsure.update(there)
        else:
            left[sought.known_by].append(sought.message)
    for known_by, messages in left.items():
        there = spots.get(known_by, [])
        if known_by.message_id is not None and len(there) == len(messages) == 1:
            message_at[there[0]] = messages[0]
        else:
            unsure.update(there)
    return Matched(message_at, frozenset(unsure))
