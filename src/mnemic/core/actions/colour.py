"""The action ``colour``."""

from collections.abc import Sequence
from typing import ClassVar, Literal, TypeAlias, get_args

from mnemic.core.actions.action import ActionKind, BaseAction, Slot
from mnemic.core.actions.decision import Decision
from mnemic.core.actions.effect import SetColumn
from mnemic.core.events import Event
from mnemic.core.wording import Phrase

__all__ = ["ACTIONS", "ColourAction", "ColourName"]

ColourName: TypeAlias = Literal[
    "moss", "clay", "harbour", "plum", "straw", "slate", "rose", "lagoon"
]


class ColourAction(BaseAction):
    """Colour the message."""

    do: Literal["colour"]
    colour: ColourName

    slot: ClassVar[Slot] = "colour"

    def decide(self, decision: Decision) -> None:
        """The colour is set."""
        decision.colour = self.colour

    def effect(self, event: Event) -> SetColumn:
        """The colour."""
        del event
        return SetColumn("colour", self.colour)

    def phrases(self, runs: Sequence[Event] = ("arrival",)) -> list[Phrase]:
        """The order."""
        del runs
        return [Phrase("colour it "), Phrase(self.colour, strong=True)]

    def deed(self) -> str:
        """The deed."""
        return f"coloured {self.colour}"


ACTIONS = (
    ActionKind(
        "colour",
        ColourAction,
        "colour {colour}",
        "Colour it",
        {"colour": get_args(ColourName)[0]},
        input="pick",
        picks=("colour", "Colour"),
    ),
)
