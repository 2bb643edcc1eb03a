"""The action ``priority``: how important a message is to the owner."""

from collections.abc import Sequence
from typing import ClassVar, Literal

from mnemic.core.actions.action import ActionKind, BaseAction, Slot
from mnemic.core.actions.decision import Decision
from mnemic.core.actions.effect import SetColumn
from mnemic.core.events import Event
from mnemic.core.message import Priority
from mnemic.core.wording import Phrase

__all__ = ["ACTIONS", "PriorityAction"]


class PriorityAction(BaseAction):
    """Set how important the message is."""

    do: Literal["priority"]
    level: Priority

    slot: ClassVar[Slot] = "priority"

    def decide(self, decision: Decision) -> None:
        """The level is set."""
        decision.priority = self.level

    def effect(self, event: Event) -> SetColumn:
        """The level."""
        del event
        return SetColumn("priority", self.level)

    def phrases(self, runs: Sequence[Event] = ("arrival",)) -> list[Phrase]:
        """The order."""
        del runs
        return [Phrase("set its importance to "), Phrase(self.level, strong=True)]

    def deed(self) -> str:
        """The deed."""
        return f"given {self.level} importance"


ACTIONS = (
    ActionKind(
        "priority",
        PriorityAction,
        "{level} importance",
        "Set its importance",
        {"level": "high"},
        input="pick",
        picks=("level", "Importance"),
    ),
)
