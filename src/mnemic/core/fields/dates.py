"""The fields ``received`` and ``sent``: calendar days in the owner's time zone."""

import re
from datetime import date, datetime, timedelta
from typing import Annotated, Any, ClassVar, Literal, TypeAlias

from pydantic import AfterValidator
from pydantic import Field as ModelField

from mnemic.core.bounds import MOST_VALUES
from mnemic.core.errors import at_most
from mnemic.core.fields.condition import Evidence, Given
from mnemic.core.fields.field import Aspect, EvidenceWords, Field, MadeTest, Prefix
from mnemic.core.fields.measures import Interval, MeasureCondition, readable
from mnemic.core.message import MessageView

__all__ = ["FIELDS", "DateCondition"]


def _day(value: str) -> date:
    if not re.fullmatch(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", value):
        raise ValueError
    return date.fromisoformat(value)


Day: TypeAlias = Annotated[
    str, AfterValidator(readable(_day, 'has to be a calendar day like "2026-05-04"'))
]


class DateCondition(MeasureCondition):
    """The day of receipt, or of the Date field (RFC 5322, section 3.6.1)."""

    field: Literal["received", "sent"]
    test: Literal["before", "after", "on"]
    values: Annotated[tuple[Day, ...], ModelField(min_length=1), at_most(MOST_VALUES)]

    of_the_owner: ClassVar = True  # a day begins and ends in the owner's time zone
    nouns: ClassVar = {"received": "its day of receipt", "sent": "its date"}

    def reads(self, message: MessageView) -> datetime | None:
        """The moment, None where the message tells none."""
        return message.received if self.field == "received" else message.sent

    def found(self, read: datetime | None, given: Given) -> Evidence | None:
        """The day."""
        if read is None:
            return None
        try:
            day = read.astimezone(given.circumstances.timezone).date()
        except OverflowError:  # the first or last day that there is
            day = read.date()
        if any(self._passes(day, _day(value)) for value in self.values):
            return Evidence.whole(self.field, day.isoformat())
        return None

    def _passes(self, day: date, wanted: date) -> bool:
        if self.test == "on":
            return day == wanted
        return day < wanted if self.test == "before" else day > wanted

    def interval(self) -> Interval:
        """Days."""
        day = _day(self.values[0]).toordinal()
        if self.test == "on":
            return day, day
        return (None, day - 1) if self.test == "before" else (day + 1, None)


def _named_day(value: str, today: date) -> str:
    named = {"today": today, "yesterday": today - timedelta(days=1)}.get(value.lower())
    return value if named is None else named.isoformat()


def _received(test: str) -> MadeTest:
    def made(value: str, today: date) -> dict[str, Any]:
        return {"field": "received", "test": test, "values": [_named_day(value, today)]}

    return made


def _aspect(field: str, label: str) -> Aspect:
    tests = (("before", "before"), ("after", "after"), ("on", "on"))
    return Aspect(field, label, "Size and time", tests, "a day", values="day")


FIELDS = (
    Field(
        "received",
        DateCondition,
        aspects=(_aspect("received", "Received"),),
        prefixes=(
            Prefix("on", "the day it was received, like 2026-05-04", _received("on")),
            Prefix("before", "received before a day", _received("before")),
            Prefix("after", "received after a day", _received("after")),
        ),
        evidence={"received": EvidenceWords("received")},
    ),
    Field(
        "sent",
        DateCondition,
        aspects=(_aspect("sent", "Sent"),),
        evidence={"sent": EvidenceWords("dated")},
    ),
)
