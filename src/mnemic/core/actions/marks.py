"""The actions ``read``, ``unread``, ``flag`` and ``unflag`` (RFC 9051, section 2.3.2)."""

from collections.abc import Sequence
from typing import Literal

from mnemic.core.actions.action import ActionKind, BaseAction
from mnemic.core.actions.decision import Decision
from mnemic.core.actions.effect import SetColumn
from mnemic.core.events import Event
from mnemic.core.wording import Phrase

__all__ = ["ACTIONS", "MarkAction"]

_ORDERS = {
    "read": "mark it as read",
    "unread": "mark it as unread",
    "flag": "flag it",
    "unflag": "take its flag off",
}
_DEEDS = {
    "read": "marked as read",
    "unread": "marked as unread",
    "flag": "flagged",
    "unflag": "no longer flagged",
}


class MarkAction(BaseAction):
    """Mark the message as read or unread, or set or take off its flag."""

    do: Literal["read", "unread", "flag", "unflag"]

    @property
    def slot(self) -> Literal["seen", "flagged"]:
        """Read and unread set one slot, the flag another."""
        return "seen" if self.do in ("read", "unread") else "flagged"

    @property
    def sets(self) -> bool:
        """What the slot is set to."""
        return self.do in ("read", "flag")

    def decide(self, decision: Decision) -> None:
        """The flag is set, or taken off."""
        if self.slot == "seen":
            decision.seen = self.sets
        else:
            decision.flagged = self.sets

    def effect(self, event: Event) -> SetColumn:
        """The flag."""
        del event
        return SetColumn(self.slot, self.sets)

    def phrases(self, runs: Sequence[Event] = ("arrival",)) -> list[Phrase]:
        """The order."""
        del runs
        return [Phrase(_ORDERS[self.do])]

    def deed(self) -> str:
        """The deed."""
        return _DEEDS[self.do]


ACTIONS = (
    ActionKind("read", MarkAction, "mark as read", "Mark it as read"),
    ActionKind("unread", MarkAction, "mark as unread", "Mark it as unread"),
    ActionKind("flag", MarkAction, "flag", "Flag it"),
    ActionKind("unflag", MarkAction, "take the flag off", "Take its flag off"),
)
