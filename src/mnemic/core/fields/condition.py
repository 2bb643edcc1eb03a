"""What every condition has in common, and what the slice of a field has to answer.

Whoever decides, rehearses, says or compares conditions asks these methods; nothing outside
``core.fields`` asks which field a condition is about.
"""

from abc import abstractmethod
from collections.abc import Hashable, Iterator
from dataclasses import dataclass, field
from typing import Annotated, Any, ClassVar, Self, TypeAlias

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints

from mnemic.core.bounds import MOST_VALUE, MOST_VALUES
from mnemic.core.errors import AS_STORED, at_most, plain_text
from mnemic.core.message import Circumstances, MessageState, MessageView
from mnemic.core.text.text_tests import Span
from mnemic.core.wording import Phrase, listed, strong

__all__ = [
    "NOTHING_GIVEN",
    "VERBS",
    "BaseCondition",
    "Evidence",
    "Given",
    "NonEmpty",
    "NonEmptyTexts",
]

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

#: What each test says of a field, and what it says turned round.
VERBS = {
    "contains": ("contains", "does not contain"),
    "words": ("has the words", "does not have the words"),
    "word": ("has the word", "does not have the word"),
    "is": ("is", "is not"),
    "begins": ("begins with", "does not begin with"),
    "ends": ("ends with", "does not end with"),
    "wildcard": ("looks like", "does not look like"),
    "regex": ("matches the pattern", "does not match the pattern"),
    "under": ("is or is below", "neither is nor is below"),
    "over": ("is over", "is not over"),
    "less": ("is under", "is not under"),
    "before": ("is before", "is not before"),
    "after": ("is after", "is not after"),
    "on": ("is", "is not"),
}


class BaseCondition(BaseModel):
    """A condition: a field, a test and values, of which one has to pass."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    field: str
    test: str
    values: tuple[Any, ...] | None = None

    #: What a sentence calls each field, where it is not a statement of its own.
    nouns: ClassVar[dict[str, str]] = {}
    #: The same where a message may have several, none of which may pass.
    none_of: ClassVar[dict[str, str]] = {}
    #: Whether what it looks at is the message's state, which a message's octets don't tell.
    of_state: ClassVar[bool] = False
    #: Whether its answer depends on the owner: addresses, contacts, earlier senders, time zone.
    of_the_owner: ClassVar[bool] = False
    #: Whether what it answers changes as time passes, though nothing is changed.
    of_the_clock: ClassVar[bool] = False

    # Deciding

    @property
    def of_content(self) -> bool:
        """Whether its answer for a message never changes: octets and envelope alone decide it."""
        return not (self.of_state or self.of_the_owner or self.of_the_clock)

    @abstractmethod
    def reads(self, message: MessageView) -> Hashable:
        """What the condition looks at in a message; of ``of_state`` conditions, nothing."""

    @property
    def reading(self) -> Hashable:
        """Equal for conditions that read the same of every message."""
        return self.field

    @abstractmethod
    def found(self, read: Any, given: Given) -> Evidence | None:
        """Why the condition holds of what it ``reads``, or None where it does not hold."""

    def holds_of(self, read: Any, given: Given) -> bool:
        """Whether the condition holds of what it ``reads``."""
        return self.found(read, given) is not None

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """Why the condition holds for the message, or None where it does not hold."""
        return self.found(self.reads(message), given)

    def holds(self, message: MessageView, given: Given) -> bool:
        """Whether the condition holds; cheaper than its evidence where only the answer counts."""
        return self.holds_of(self.reads(message), given)

    # Saying

    def phrases(self, *, turned: bool = False) -> list[Phrase]:
        """The condition as a statement, or turned round: "its size is not over 2 MB"."""
        noun, verb = self._noun(turned=turned), VERBS[self._verb()]
        several = self.field in self.none_of
        said = verb[turned and not several]
        return [Phrase(f"{noun} {said} "), *listed(strong(self.values or ()), "or")]

    def _noun(self, *, turned: bool) -> str:
        noun = self.nouns[self.field]
        return self.none_of.get(self.field, noun) if turned else noun

    def _verb(self) -> str:
        """The key of ``VERBS`` for the test."""
        return self.test

    # Logic: both answers err on the side of "not known". Conditions here have one value each.

    def singles(self) -> Iterator["BaseCondition"]:
        """Conditions with one value each, of which one holds where this one does."""
        for value in self.values or (None,):
            yield self if value is None else self.with_values((value,))

    def with_values(self, values: tuple[Any, ...], **more: Any) -> Self:
        """The same condition with other values."""
        keys = self.model_dump(exclude={"values"}) | more | {"values": values}
        return type(self).model_validate(keys, context=AS_STORED)

    def opposite(self) -> "BaseCondition | None":
        """The condition that holds for just those messages for which this one does not, if any."""
        return None

    @abstractmethod
    def implies(self, other: "BaseCondition") -> bool:
        """Whether every message for which this condition holds is one for which ``other`` does."""

    @abstractmethod
    def excludes(self, other: "BaseCondition") -> bool:
        """Whether there is no message for which both hold."""
