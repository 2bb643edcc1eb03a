"""The field ``age``: now minus receipt, strictly over or under."""

import re
from datetime import datetime, timedelta
from typing import Annotated, ClassVar, Literal, TypeAlias

from pydantic import AfterValidator
from pydantic import Field as ModelField

from mnemic.core.bounds import MOST_VALUES
from mnemic.core.errors import at_most
from mnemic.core.fields.condition import Evidence, Given
from mnemic.core.fields.field import Aspect, EvidenceWords, Field
from mnemic.core.fields.measures import Interval, MeasureCondition, readable
from mnemic.core.message import MessageView

__all__ = ["FIELDS", "AgeCondition", "duration"]

_AGE = re.compile(r"([0-9]{1,9}) (minute|hour|day|week)s?", re.IGNORECASE)

#: Ages beyond this can't be told apart from it; a larger one would overflow date arithmetic.
_LONGEST = timedelta(days=1_000_000)


def duration(value: str) -> timedelta:
    """An age; raises ValueError where ``value`` is none."""
    match = _AGE.fullmatch(value)
    if match is None:
        raise ValueError
    try:
        return min(timedelta(**{f"{match[2].lower()}s": int(match[1])}), _LONGEST)
    except OverflowError:
        return _LONGEST


Age: TypeAlias = Annotated[
    str,
    AfterValidator(
        readable(duration, 'has to be an age in minutes, hours, days or weeks, like "30 days"')
    ),
]


class AgeCondition(MeasureCondition):
    """How long ago the message was received."""

    field: Literal["age"]
    test: Literal["over", "under"]
    values: Annotated[tuple[Age, ...], ModelField(min_length=1), at_most(MOST_VALUES)]

    nouns: ClassVar = {"age": "its age"}
    of_the_clock: ClassVar = True

    def reads(self, message: MessageView) -> datetime | None:
        """When it was received."""
        return message.received

    def found(self, read: datetime | None, given: Given) -> Evidence | None:
        """The age in days, hours and minutes."""
        if read is None:
            return None
        age = given.circumstances.now - read
        ages = map(duration, self.values)
        if any(age > wanted if self.test == "over" else age < wanted for wanted in ages):
            return Evidence.whole("age", str(timedelta(seconds=int(age.total_seconds()))))
        return None

    def _verb(self) -> str:
        return "less" if self.test == "under" else self.test

    def interval(self) -> Interval:
        """Half microseconds: an age strictly over one value and under the same is none."""
        age = duration(self.values[0])
        point = 2 * (age.days * 86_400_000_000 + age.seconds * 1_000_000)
        return (point + 1, None) if self.test == "over" else (None, point - 1)


FIELDS = (
    Field(
        "age",
        AgeCondition,
        aspects=(
            Aspect(
                "age",
                "Age",
                "Size and time",
                (("over", "is over"), ("under", "is under")),
                "30 days",
                values="age",
            ),
        ),
        evidence={"age": EvidenceWords("age")},
    ),
)
