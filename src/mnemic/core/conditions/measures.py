"""Conditions on size, dates and age."""

import re
from collections.abc import Callable
from datetime import date, timedelta
from typing import Annotated, Any, Literal, TypeAlias

from pydantic import AfterValidator, BeforeValidator, Field, ValidationInfo
from pydantic_core import PydanticCustomError

from mnemic.core.bounds import MOST_NUMBER, MOST_VALUES
from mnemic.core.conditions.evidence import BaseCondition, Evidence, Given
from mnemic.core.errors import at_most, is_stored
from mnemic.core.message import MessageView

__all__ = ["AgeCondition", "DateCondition", "SizeCondition"]

_SIZE = re.compile(r"([0-9]{1,15}) ?(KB|MB|GB)", re.IGNORECASE)
_OCTETS = {"KB": 1024, "MB": 1024**2, "GB": 1024**3}
_AGE = re.compile(r"([0-9]{1,9}) (minute|hour|day|week)s?", re.IGNORECASE)

#: Ages beyond this can't be told apart from it; a larger one would overflow date arithmetic.
_LONGEST = timedelta(days=1_000_000)


def octets(value: int | str) -> int:
    """A size in octets; raises ValueError where ``value`` is none."""
    if isinstance(value, int):
        if value < 0:
            raise ValueError
        return value
    match = _SIZE.fullmatch(value)
    if match is None:
        raise ValueError
    return int(match[1]) * _OCTETS[match[2].upper()]


def duration(value: str) -> timedelta:
    """An age; raises ValueError where ``value`` is none."""
    match = _AGE.fullmatch(value)
    if match is None:
        raise ValueError
    try:
        return min(timedelta(**{f"{match[2].lower()}s": int(match[1])}), _LONGEST)
    except OverflowError:
        return _LONGEST


def _checked(read: Callable[[str], object], message: str) -> Callable[[str], str]:
    def check(value: str) -> str:
        try:
            read(value)
        except ValueError as error:
            raise PydanticCustomError("measure", "{reason}", {"reason": message}) from error
        return value

    return check


def _checked_size(value: Any, info: ValidationInfo) -> int | str:
    try:
        if isinstance(value, bool) or not isinstance(value, int | str):
            raise ValueError
        if octets(value) >= MOST_NUMBER and not is_stored(info):
            raise ValueError
    except ValueError as error:
        message = 'has to be a whole number of octets below 2^53, or "500 KB", "2 MB", "1 GB"'
        raise PydanticCustomError("measure", "{reason}", {"reason": message}) from error
    return value


def _day(value: str) -> date:
    if not re.fullmatch(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", value):
        raise ValueError
    return date.fromisoformat(value)


Size: TypeAlias = Annotated[int | str, BeforeValidator(_checked_size)]
Day: TypeAlias = Annotated[
    str, AfterValidator(_checked(_day, 'has to be a calendar day like "2026-05-04"'))
]
Age: TypeAlias = Annotated[
    str,
    AfterValidator(
        _checked(duration, 'has to be an age in minutes, hours, days or weeks, like "30 days"')
    ),
]


class SizeCondition(BaseCondition):
    """Octets as transmitted (RFC 5228, section 5.9), strictly over or under."""

    field: Literal["size"]
    test: Literal["over", "under"]
    values: Annotated[tuple[Size, ...], Field(min_length=1), at_most(MOST_VALUES)]

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """The size."""
        del given
        sizes = map(octets, self.values)
        size = message.size
        if any(size > each if self.test == "over" else size < each for each in sizes):
            return Evidence.whole("size", f"{size} octets")
        return None


class DateCondition(BaseCondition):
    """The day of receipt or of sending, in the owner's time zone."""

    field: Literal["received", "sent"]
    test: Literal["before", "after", "on"]
    values: Annotated[tuple[Day, ...], Field(min_length=1), at_most(MOST_VALUES)]

    def _passes(self, day: date, wanted: date) -> bool:
        if self.test == "on":
            return day == wanted
        return day < wanted if self.test == "before" else day > wanted

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """The day."""
        moment = message.received if self.field == "received" else message.sent
        if moment is None:
            return None
        try:
            day = moment.astimezone(given.circumstances.timezone).date()
        except OverflowError:  # the first or last day that there is
            day = moment.date()
        if any(self._passes(day, _day(value)) for value in self.values):
            return Evidence.whole(self.field, day.isoformat())
        return None


class AgeCondition(BaseCondition):
    """Now minus receipt, strictly over or under."""

    field: Literal["age"]
    test: Literal["over", "under"]
    values: Annotated[tuple[Age, ...], Field(min_length=1), at_most(MOST_VALUES)]

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """The age in days, hours and minutes."""
        if message.received is None:
            return None
        age = given.circumstances.now - message.received
        ages = map(duration, self.values)
        if any(age > each if self.test == "over" else age < each for each in ages):
            return Evidence.whole("age", str(timedelta(seconds=int(age.total_seconds()))))
        return None
