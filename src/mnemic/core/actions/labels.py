"""The actions ``label`` and ``unlabel``: for one label, the first rule that sets it wins."""

from collections.abc import Hashable, Sequence
from functools import cached_property
from typing import Annotated, Literal, TypeAlias

from pydantic import AfterValidator, StringConstraints

from mnemic.core.actions.action import ActionKind, BaseAction
from mnemic.core.actions.decision import Decision
from mnemic.core.actions.effect import Label
from mnemic.core.bounds import MOST_NAME
from mnemic.core.canonical import canonical_name
from mnemic.core.errors import at_most, plain_name
from mnemic.core.events import Event
from mnemic.core.wording import Phrase

__all__ = ["ACTIONS", "LabelAction", "UnlabelAction"]

LabelName: TypeAlias = Annotated[
    str,
    StringConstraints(strip_whitespace=True, min_length=1),
    at_most(MOST_NAME),
    AfterValidator(plain_name),
]


class LabelAction(BaseAction):
    """Put a label on the message."""

    do: Literal["label"]
    label: LabelName

    @cached_property
    def claim(self) -> Hashable:
        """The label."""
        return "label", canonical_name(self.label)

    def decide(self, decision: Decision) -> None:
        """The label is put on."""
        decision.labels.append(self.label)

    def effect(self, event: Event) -> Label:
        """The label, put on."""
        del event
        return Label(self.label, put=True)

    def phrases(self, runs: Sequence[Event] = ("arrival",)) -> list[Phrase]:
        """The order."""
        del runs
        return [Phrase("label it "), Phrase(self.label, strong=True)]

    def deed(self) -> str:
        """The deed."""
        return f"labelled {self.label}"


class UnlabelAction(BaseAction):
    """Take a label off the message."""

    do: Literal["unlabel"]
    label: LabelName

    @cached_property
    def claim(self) -> Hashable:
        """The label."""
        return "label", canonical_name(self.label)

    def decide(self, decision: Decision) -> None:
        """The label is taken off."""
        decision.unlabels.append(self.label)

    def effect(self, event: Event) -> Label:
        """The label, taken off."""
        del event
        return Label(self.label, put=False)

    def phrases(self, runs: Sequence[Event] = ("arrival",)) -> list[Phrase]:
        """The order."""
        del runs
        return [Phrase("take off its label "), Phrase(self.label, strong=True)]

    def deed(self) -> str:
        """The deed."""
        return f"no longer labelled {self.label}"


ACTIONS = (
    ActionKind("label", LabelAction, "label {label}", fresh={"label": ""}, needs=("label",)),
    ActionKind(
        "unlabel",
        UnlabelAction,
        "take label {label} off",
        "Take a label off",
        {"label": ""},
        needs=("label",),
        input="label",
    ),
)
