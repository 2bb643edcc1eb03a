"""What conditions on sizes, days and ages share: each value is an end of an interval."""

from abc import abstractmethod
from collections.abc import Callable
from typing import TypeAlias

from pydantic_core import PydanticCustomError

from mnemic.core.fields.condition import BaseCondition

__all__ = ["Interval", "MeasureCondition", "measure_error", "readable"]

#: A range from its first to its last whole number; None is without end.
Interval: TypeAlias = tuple[int | None, int | None]


def measure_error(message: str) -> PydanticCustomError:
    """The error of a value that is no measure; ``message`` says what it has to be."""
    return PydanticCustomError("measure", "{reason}", {"reason": message})


def readable(read: Callable[[str], object], message: str) -> Callable[[str], str]:
    """A check that ``read`` can read a text."""

    def check(value: str) -> str:
        try:
            read(value)
        except ValueError as error:
            raise measure_error(message) from error
        return value

    return check


class MeasureCondition(BaseCondition):
    """A condition that holds within an interval of whole numbers."""

    @abstractmethod
    def interval(self) -> Interval:
        """The numbers that pass by the first value, both ends included."""

    def implies(self, other: BaseCondition) -> bool:
        """Whether the interval lies within the other's."""
        if not isinstance(other, MeasureCondition) or self.field != other.field:
            return False
        return _within(self.interval(), other.interval())

    def excludes(self, other: BaseCondition) -> bool:
        """Whether the intervals have no number in common."""
        if not isinstance(other, MeasureCondition) or self.field != other.field:
            return False
        one, another = self.interval(), other.interval()
        return _before(one, another) or _before(another, one)


def _within(inner: Interval, outer: Interval) -> bool:
    low = outer[0] is None or (inner[0] is not None and inner[0] >= outer[0])
    high = outer[1] is None or (inner[1] is not None and inner[1] <= outer[1])
    return low and high


def _before(one: Interval, other: Interval) -> bool:
    return one[1] is not None and other[0] is not None and one[1] < other[0]
