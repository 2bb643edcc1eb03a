"""The action ``notify``: the owner is told, with a sound."""

from collections.abc import Sequence
from typing import ClassVar, Literal, TypeAlias

from mnemic.core.actions.action import ActionKind, BaseAction
from mnemic.core.actions.decision import Decision
from mnemic.core.events import Event
from mnemic.core.wording import Phrase

__all__ = ["ACTIONS", "NotifyAction"]

Sound: TypeAlias = Literal["bell", "knock", "ripple"]


class NotifyAction(BaseAction):
    """Tell the owner, with a sound."""

    do: Literal["notify"]
    sound: Sound | None = None

    goes_out: ClassVar = True

    def decide(self, decision: Decision) -> None:
        """Each sound once."""
        sound = self.sound or "default"
        if sound not in decision.notify:
            decision.notify.append(sound)

    def outdone_by(self, earlier: BaseAction) -> bool:
        """The same sound was heard."""
        return isinstance(earlier, NotifyAction) and earlier.sound == self.sound

    def phrases(self, runs: Sequence[Event] = ("arrival",)) -> list[Phrase]:
        """The order."""
        del runs
        if self.sound is None:
            return [Phrase("tell me")]
        return [Phrase("tell me with the sound "), Phrase(self.sound, strong=True)]

    def deed(self) -> str:
        """The deed."""
        return "told with a sound"


ACTIONS = (
    ActionKind(
        "notify",
        NotifyAction,
        "make a sound",
        "Make a sound",
        {"sound": None},
        input="pick",
        picks=("sound", "Sound"),
    ),
)
