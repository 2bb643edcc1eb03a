"""Rules for a time: the calendar days of receipt that a rule is for."""

from datetime import date
from typing import Self

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, model_validator

from mnemic.core.errors import Problem, invalid, is_stored
from mnemic.core.fields.dates import Day

__all__ = ["ActiveDays"]

_MONTHS = (
    "January February March April May June July August September October November December"
).split()


def _in_words(day: str, *, month: bool = True, year: bool = True) -> str:
    """``17 August 2026``, or as much of it as is not said already."""
    read = date.fromisoformat(day)
    said = str(read.day)
    if month:
        said += f" {_MONTHS[read.month - 1]}"
    return f"{said} {read.year}" if year else said


class ActiveDays(BaseModel):
    """The first and the last day, both counted whole, in the owner's time zone; one may be missing.

    They are days of receipt, never of the clock: the same message comes to the same outcome always.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, serialize_by_alias=True)

    first: Day | None = Field(None, alias="from", exclude_if=lambda day: day is None)
    last: Day | None = Field(None, alias="until", exclude_if=lambda day: day is None)

    @model_validator(mode="after")
    def _in_order(self, info: ValidationInfo) -> Self:
        if is_stored(info):
            return self
        if self.first is None and self.last is None:
            raise invalid([Problem("", "names no day; give from, until or both")])
        if self.first is not None and self.last is not None and self.first > self.last:
            message = f"lies after until, which is {self.last}; give a day that is not after it"
            raise invalid([Problem("from", message)])
        return self

    @property
    def saying(self) -> str:
        """The days in words: ``from 3 to 17 August 2026``."""
        if self.first is None:
            return f"until {_in_words(self.last or '')}"
        if self.last is None:
            return f"from {_in_words(self.first)} on"
        if self.first == self.last:
            return f"on {_in_words(self.first)}"
        same_year = self.first[:4] == self.last[:4]
        same_month = self.first[:7] == self.last[:7]
        begun = _in_words(self.first, month=not same_month, year=not same_year)
        return f"from {begun} to {_in_words(self.last)}"
