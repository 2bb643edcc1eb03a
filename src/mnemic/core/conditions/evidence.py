"""What every condition has in common."""

from abc import abstractmethod
from dataclasses import dataclass, field
from typing import Annotated, TypeAlias

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints

from mnemic.core.bounds import MOST_VALUE, MOST_VALUES
from mnemic.core.errors import at_most, plain_text
from mnemic.core.message import Circumstances, MessageState, MessageView
from mnemic.core.text_tests import Span

__all__ = ["NOTHING_GIVEN", "BaseCondition", "Evidence", "Given", "NonEmpty", "NonEmptyTexts"]

NonEmpty: TypeAlias = Annotated[
    str, StringConstraints(min_length=1), at_most(MOST_VALUE), AfterValidator(plain_text)
]
NonEmptyTexts: TypeAlias = Annotated[
    tuple[NonEmpty, ...], Field(min_length=1), at_most(MOST_VALUES)
]


@dataclass(frozen=True, slots=True)
class Evidence:
    """What made a condition hold.

    ``field`` is where it was found (a header field, ``envelope``, ``body``, or the condition's own
    field), ``value`` the text there as it stands, ``span`` the part of ``value`` that matched, in
    characters.
    """

    field: str
    value: str
    span: Span

    @classmethod
    def whole(cls, field: str, value: str) -> "Evidence":
        """Evidence of which every character counts."""
        return cls(field, value, (0, len(value)))


@dataclass(frozen=True, slots=True)
class Given:
    """What a condition may look at beside the message."""

    state: MessageState = field(default_factory=MessageState)
    circumstances: Circumstances = field(default_factory=Circumstances)


#: Where nobody says anything of state and circumstances.
NOTHING_GIVEN = Given()


class BaseCondition(BaseModel):
    """A condition: a field, a test and values, of which one has to pass."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    field: str
    test: str

    @abstractmethod
    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """Why the condition holds for the message, or None where it does not hold."""

    def holds(self, message: MessageView, given: Given) -> bool:
        """Whether the condition holds; cheaper than its evidence where only the answer counts."""
        return self.evidence(message, given) is not None
