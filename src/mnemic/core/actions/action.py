"""What every action has in common, and what the slice of an action has to answer.

Actions that make the same *claim* compete: of all rules that take a message, the first that makes
it wins. A claim is a *slot* (a place, a colour …) or a label; actions without a claim add up.
"""

from abc import abstractmethod
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal, TypeAlias

from pydantic import AfterValidator, BaseModel, ConfigDict, ValidationInfo
from pydantic_core import PydanticCustomError

from mnemic.core.actions.decision import Decision
from mnemic.core.actions.effect import Effect
from mnemic.core.bounds import MOST_NAME, MOST_VALUE
from mnemic.core.errors import at_most, is_stored, plain_name
from mnemic.core.events import Event
from mnemic.core.wording import Phrase, text_of

__all__ = ["ActionKind", "BaseAction", "FolderPath", "Slot"]

Slot: TypeAlias = Literal["place", "seen", "flagged", "colour", "priority"]


def _folder_path(value: str, info: ValidationInfo) -> str:
    levels = [level.strip() for level in value.split("/")]
    if not all(levels):
        raise PydanticCustomError(
            "folder_path", "a folder path has a name at every level, as in Moorings/Permits"
        )
    if any(len(level) > MOST_NAME for level in levels) and not is_stored(info):
        raise PydanticCustomError(
            "folder_path",
            "a folder’s name has at most {most} characters; shorten it",
            {"most": MOST_NAME},
        )
    return plain_name("/".join(levels), info)


#: A folder's path, "/" between levels, white space around names dropped.
FolderPath: TypeAlias = Annotated[str, at_most(MOST_VALUE), AfterValidator(_folder_path)]


class BaseAction(BaseModel):
    """One thing that a rule does with the mail it takes."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    do: str

    #: Whether it sends something outside, or is heard: it changes nothing about a message.
    goes_out: ClassVar[bool] = False

    @property
    def slot(self) -> Slot | None:
        """The slot it sets, of which a rule sets each once; None where it sets none."""
        return None

    @property
    def claim(self) -> Hashable | None:
        """What it claims of a message; None where it adds up with others."""
        return self.slot

    @abstractmethod
    def decide(self, decision: Decision) -> str | None:
        """Add what it does to a decision; why it is held back, where it is."""

    def effect(self, event: Event) -> Effect | None:
        """What it does to a message that is kept; None where it changes none.

        What is held back, and what goes outside, is no effect.
        """
        del event
        return None

    def outdone_by(self, earlier: "BaseAction") -> bool:
        """Whether it changes nothing after ``earlier`` was done to the same message."""
        return self.claim is not None and self.claim == earlier.claim

    @abstractmethod
    def phrases(self, runs: Sequence[Event] = ("arrival",)) -> list[Phrase]:
        """What it does, as an order: "file it in Moorings / Permits"."""

    @abstractmethod
    def deed(self) -> str:
        """What was done, as the end of a sentence: "filed in Moorings / Permits"."""

    def deed_by_hand(self) -> str:
        """The same where a person did it."""
        return self.deed()

    @property
    def saying(self) -> str:
        """What it does, in words."""
        return text_of(self.phrases())


@dataclass(frozen=True, slots=True)
class ActionKind:
    """One action by its name, as the editor offers it.

    ``label`` is None where the editor has a place of its own for it. ``fresh`` is the action as it
    is added, ``needs`` are the keys that have to be filled in, ``short`` what is said of it in a
    list of rules, with keys in braces. ``input`` says how it is filled in; where a value is picked
    from a few, ``picks`` is its key, with a label.
    """

    name: str
    model: type[BaseAction]
    short: str
    label: str | None = None
    fresh: Mapping[str, Any] | None = None
    needs: tuple[str, ...] = ()
    input: Literal["nothing", "pick", "folder", "label", "addresses", "answer"] = "nothing"
    picks: tuple[str, str] | None = None

    @property
    def as_added(self) -> dict[str, Any]:
        """The action as the editor adds it."""
        return {"do": self.name, **(self.fresh or {})}

    @property
    def slot(self) -> Slot | None:
        """The slot it sets."""
        return self.model.model_construct(**self.as_added).slot
