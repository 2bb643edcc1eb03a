"""Which commands bring a server's messages to what is wanted: few, and none that loses anything."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import TypeAlias

from mnemic.core.mirror.marks import Marks

__all__ = ["FOR_GOOD", "Command", "Copy", "Difference", "Expunge", "Mark", "Move", "commands_for"]

#: Messages that one command moves or copies, at most.
_AT_ONCE = 1_000

#: The place of what is to be destroyed.
FOR_GOOD = -1

#: A message that is to go from its folder (RFC 9051, section 2.3.2).
_DELETED = "\\Deleted"


@dataclass(frozen=True, slots=True)
class Difference:
    """A message of a folder, by its UID: what it is there, and what it is to be."""

    folder: int
    uid: int
    there: Marks
    wanted: Marks


@dataclass(frozen=True, slots=True)
class Mark:
    """Put flags and keywords on messages of a folder, or take them off; no others are touched."""

    folder: int
    uids: tuple[int, ...]
    flags: frozenset[str]
    on: bool


@dataclass(frozen=True, slots=True)
class Move:
    """Move messages into another folder (RFC 6851)."""

    folder: int
    uids: tuple[int, ...]
    target: int


@dataclass(frozen=True, slots=True)
class Copy:
    """Copy messages into another folder, since they can't be moved: they go next."""

    folder: int
    uids: tuple[int, ...]
    target: int


@dataclass(frozen=True, slots=True)
class Expunge:
    """Take messages out that are marked as deleted, and those alone (RFC 4315, section 2.1)."""

    folder: int
    uids: tuple[int, ...]


Command: TypeAlias = Mark | Move | Copy | Expunge


def commands_for(
    differences: Iterable[Difference], *, can_move: bool = True, can_expunge: bool = True
) -> list[Command]:
    """The commands, in the order in which they are to be given.

    Messages are marked where they lie, then moved. Without MOVE they are copied and marked as
    deleted; where single ones can't be expunged they stay so, since to expunge the folder would
    take what others have marked.
    """
    marking: dict[tuple[int, frozenset[str], bool], list[int]] = {}
    moving: dict[tuple[int, int], list[int]] = {}
    for difference in differences:
        there, wanted = _flags(difference.there), _flags(difference.wanted)
        for flags, on in ((wanted - there, True), (there - wanted, False)):
            if flags:
                marking.setdefault((difference.folder, flags, on), []).append(difference.uid)
        if difference.there.place != difference.wanted.place:
            moving.setdefault((difference.folder, difference.wanted.place), []).append(
                difference.uid
            )
    commands: list[Command] = [
        Mark(folder, tuple(uids), flags, on) for (folder, flags, on), uids in marking.items()
    ]
    for (folder, target), all_uids in moving.items():
        for uids in _portions(all_uids):
            if can_move and target != FOR_GOOD:
                commands.append(Move(folder, uids, target))
                continue
            if target != FOR_GOOD:
                commands.append(Copy(folder, uids, target))
            commands.append(Mark(folder, uids, frozenset({_DELETED}), on=True))
            if can_expunge:
                commands.append(Expunge(folder, uids))
    return commands


def _flags(marks: Marks) -> frozenset[str]:
    system = {"\\Seen": marks.seen, "\\Flagged": marks.flagged}
    return marks.keywords | {flag for flag, on in system.items() if on}


def _portions(uids: list[int]) -> Iterator[tuple[int, ...]]:
    ordered = sorted(uids)
    for first in range(0, len(ordered), _AT_ONCE):
        yield tuple(ordered[first : first + _AT_ONCE])
