"""What actions do to a message that is kept: few kinds of change, whoever carries them out."""

from dataclasses import dataclass
from typing import Any, Literal, NamedTuple, TypeAlias, assert_never

__all__ = [
    "Column",
    "CopyTo",
    "Effect",
    "Label",
    "MoveTo",
    "Needed",
    "Role",
    "SetColumn",
    "needed_for",
]

#: Folders that every mailbox has.
Role: TypeAlias = Literal["inbox", "archive", "trash", "erased"]

#: States of a message that people and rules set.
Column: TypeAlias = Literal["seen", "flagged", "colour", "priority"]


@dataclass(frozen=True, slots=True)
class MoveTo:
    """The message goes into a folder: one that every mailbox has, or the one at ``path``."""

    role: Role | None = None
    path: str = ""


@dataclass(frozen=True, slots=True)
class SetColumn:
    """A state of the message gets a value."""

    column: Column
    value: Any


@dataclass(frozen=True, slots=True)
class Label:
    """A label is put on the message, or taken off."""

    name: str
    put: bool


@dataclass(frozen=True, slots=True)
class CopyTo:
    """A copy of the message goes into the folder at ``path``."""

    path: str


Effect: TypeAlias = MoveTo | SetColumn | Label | CopyTo


class Needed(NamedTuple):
    """A folder, by its path, or a label, by its name, that has to be there for an effect."""

    what: Literal["folder", "label"]
    name: str


def needed_for(effect: Effect | None) -> Needed | None:
    """What an effect names that a person may have deleted; None where it names nothing."""
    match effect:
        case MoveTo():
            return None if effect.role is not None else Needed("folder", effect.path)
        case CopyTo():
            return Needed("folder", effect.path)
        case Label():
            return Needed("label", effect.name) if effect.put else None
        case SetColumn() | None:
            return None
        case _:
            assert_never(effect)
