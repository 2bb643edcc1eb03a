"""Runs in words: what was done, undone, or done again."""

from typing import Literal, TypeAlias

__all__ = ["RunKind", "kind_of_undoing", "run_saying"]

#: What a run is to what was done first: the thing itself, or one in a chain of undoing it.
RunKind: TypeAlias = Literal["done", "undone", "again", "undone_in_part", "again_in_part"]

_LEADS: dict[RunKind, str] = {
    "done": "",
    "undone": "Undone: ",
    "again": "Done again: ",
    "undone_in_part": "Undone in part: ",
    "again_in_part": "Done again in part: ",
}


def kind_of_undoing(kind: RunKind, *, part: bool) -> RunKind:
    """What a run is that undoes one of a kind, or a ``part`` of it."""
    again = kind in ("undone", "undone_in_part")
    if part or kind in ("undone_in_part", "again_in_part"):
        return "again_in_part" if again else "undone_in_part"
    return "again" if again else "undone"


def run_saying(kind: RunKind, what: str) -> str:
    """A run in words; ``what`` was done first."""
    return f"{_LEADS[kind]}{what}" if what else ""
