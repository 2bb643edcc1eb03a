"""Two sides of a mailbox, here and on its server: what they agree on, and what is to be told."""

from mnemic.core.mirror.commands import (
    FOR_GOOD,
    Command,
    Copy,
    Difference,
    Expunge,
    Mark,
    Move,
    commands_for,
)
from mnemic.core.mirror.marks import Marks, agreed
from mnemic.core.mirror.matching import KnownBy, Matched, Missing, Spot, matched

__all__ = [
    "FOR_GOOD",
    "Command",
    "Copy",
    "Difference",
    "Expunge",
    "KnownBy",
    "Mark",
    "Marks",
    "Matched",
    "Missing",
    "Move",
    "Spot",
    "agreed",
    "commands_for",
    "matched",
]
