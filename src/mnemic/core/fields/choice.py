"""Conditions whose values are picked or named: what is found is compared whole."""

from abc import abstractmethod
from collections.abc import Iterable, Mapping
from functools import cached_property
from typing import Any, ClassVar, Literal

from mnemic.core.fields.condition import BaseCondition, Evidence, Given
from mnemic.core.wording import Phrase, listed, strong

__all__ = ["ChoiceCondition", "NamedCondition"]


class NamedCondition(BaseCondition):
    """Holds if one of what is found is one of the values."""

    test: Literal["is"]

    @property
    def one_only(self) -> bool:
        """Whether a message has one value only, so that two of them exclude each other."""
        return True

    @abstractmethod
    def answers(self, read: Any, given: Given) -> Iterable[tuple[Any, str]]:
        """The values that are true of what it ``reads``, each with the text of its evidence."""

    def comparable(self, value: Any) -> Any:
        """A value in the form in which it is compared."""
        return value

    @cached_property
    def _wanted(self) -> frozenset[Any]:
        return frozenset(map(self.comparable, self.values or ()))

    def found(self, read: Any, given: Given) -> Evidence | None:
        """The first answer that was asked for."""
        for value, text in self.answers(read, given):
            if self.comparable(value) in self._wanted:
                return Evidence.whole(self.field, text)
        return None

    def _value(self) -> Any:
        return self.comparable((self.values or (None,))[0])

    def implies(self, other: BaseCondition) -> bool:
        """Only the same value follows from a value."""
        return self._like(other) and self._value() == other._value()  # type: ignore[attr-defined] # alike

    def excludes(self, other: BaseCondition) -> bool:
        """Different values exclude each other where a message has one only."""
        return self.one_only and self._like(other) and self._value() != other._value()  # type: ignore[attr-defined] # alike

    def _like(self, other: BaseCondition) -> bool:
        return isinstance(other, NamedCondition) and self.field == other.field


class ChoiceCondition(NamedCondition):
    """The same where there are only a few values, each a whole statement about the message."""

    #: What each value says of a message, by field.
    statements: ClassVar[Mapping[str, Mapping[Any, str]]]

    def phrases(self, *, turned: bool = False) -> list[Phrase]:
        """The statements, joined: "it is a newsletter or a bounce"."""
        said = [self.statements[self.field][value] for value in self.values or ()]
        heads = {saying.partition(" is ")[0] for saying in said}
        tails = [saying.partition(" is ")[2] for saying in said]
        if len(heads) > 1 or not all(tails) or any(tail.startswith("not ") for tail in tails):
            statements = listed(strong(said), "or")
            return [Phrase("it is not so that "), *statements] if turned else statements
        joined = listed(strong(tails), "nor" if turned else "or")
        verb = " is " if not turned else " is not " if len(tails) == 1 else " is neither "
        return [Phrase(heads.pop() + verb), *joined]
