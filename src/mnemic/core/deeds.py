"""What was done to a message, in words: for rows, the trail and the history alike."""

from collections.abc import Callable, Sequence
from typing import Any

from mnemic.core.actions import Action

__all__ = ["deed_saying", "joined", "spoken_path"]


def spoken_path(path: str) -> str:
    """A folder's path as people read it: "Moorings / Permits"."""
    return path.replace("/", " / ")


def joined(sayings: Sequence[str], last: str = "and") -> str:
    """``a``, ``a and b``, ``a, b and c``."""
    *others, end = sayings
    return f"{', '.join(others)} {last} {end}" if others else end


_DONE = {
    "keep": "kept in the inbox",
    "archive": "archived",
    "trash": "moved to the trash",
    "erase": "erased",
    "read": "marked as read",
    "unread": "marked as unread",
    "flag": "flagged",
    "unflag": "no longer flagged",
    "reply": "answered",
    "notify": "told with a sound",
}
_DONE_WITH: dict[str, Callable[[Any], str]] = {
    "file": lambda action: f"filed in {spoken_path(action.folder)}",
    "copy": lambda action: f"copied to {spoken_path(action.folder)}",
    "label": lambda action: f"labelled {action.label}",
    "unlabel": lambda action: f"no longer labelled {action.label}",
    "colour": lambda action: f"coloured {action.colour}",
    "priority": lambda action: f"given {action.level} importance",
    "forward": lambda action: f"forwarded to {joined(action.to)}",
}


def deed_saying(action: Action) -> str:
    """An action that was done, as the end of a sentence: "filed in Moorings / Permits"."""
    written = _DONE_WITH.get(action.do)
    return _DONE[action.do] if written is None else written(action)
