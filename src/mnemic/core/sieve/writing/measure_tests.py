"""Conditions on size and days (RFC 5228, section 5.9; RFC 5260)."""

from datetime import date, datetime, timedelta, tzinfo

from mnemic.core.fields.dates import DateCondition
from mnemic.core.fields.size import SizeCondition, octets
from mnemic.core.rules.active_days import ActiveDays
from mnemic.core.sieve.building import TRUE, allof, anyof, string
from mnemic.core.sieve.syntax import Number, Tag, Test
from mnemic.core.sieve.writing.grades import Said, joined, no, same
from mnemic.core.sieve.writing.setting import Setting

__all__ = ["offset_of", "said_of_active", "said_of_day", "said_of_size"]

#: RFC 5228, section 2.4.1: larger numbers need not be taken.
_MOST_SIZE = 2**31 - 1


def said_of_size(condition: SizeCondition, setting: Setting) -> Said:
    """Octets; of several values the widest counts."""
    del setting
    over = condition.test == "over"
    sizes = map(octets, condition.values)
    size = min(sizes) if over else max(sizes)
    if size > _MOST_SIZE:
        return no("servers need not take sizes of 2 GB and more")
    return same(Test("size", (Tag(f":{condition.test}"), Number(size))))


def offset_of(day: date, zone: tzinfo) -> str | None:
    """What is added to UTC when a day begins: ``+0100``; None where it is no whole minutes.

    Where midnight is left out or comes twice, the day begins by the earlier offset.
    """
    offset = datetime(day.year, day.month, day.day, tzinfo=zone).utcoffset() or timedelta()
    minutes, rest = divmod(offset.total_seconds(), 60)
    if rest:
        return None
    sign = "-" if minutes < 0 else "+"
    hours, minutes = divmod(abs(int(minutes)), 60)
    return f"{sign}{hours:02}{minutes:02}"


def _day_test(field: str, match: str, day: date, zone: tzinfo) -> Test | None:
    """The day compared with one: ``ge`` from its beginning, ``lt`` before it."""
    offset = offset_of(day, zone)
    if offset is None:
        return None
    tags = (Tag(":zone"), string(offset))
    value = (Tag(":value"), string(match))
    head = (string("date"),) if field == "received" else (string("date"), string("date"))
    name = "currentdate" if field == "received" else "date"
    return Test(name, (*tags, *value, *head, string(day.isoformat())))


def _between(field: str, first: date | None, behind: date | None, zone: tzinfo) -> Said:
    """The time from the beginning of one day until before another."""
    bounds = [
        _day_test(field, match, day, zone)
        for match, day in (("ge", first), ("lt", behind))
        if day is not None
    ]
    tests = [test for test in bounds if test is not None]
    if len(tests) < len(bounds):
        return no("the time zone had no whole minutes then")
    return same(allof(*tests))


def said_of_day(condition: DateCondition, setting: Setting) -> Said:
    """A day of receipt, which for a script is now, or of the Date field (RFC 5260)."""
    missing = [capability for capability in ("date", "relational") if not setting.can(capability)]
    if missing:
        return no(f"the server is not said to have {' and '.join(missing)}")
    said = []
    for value in condition.values:
        day = date.fromisoformat(value)
        if day == date.max and condition.test != "before":
            return no("this is the last day that there is")
        first = None if condition.test == "before" else day
        behind = None if condition.test == "after" else day
        if condition.test == "after":
            first = day + timedelta(days=1)
        elif condition.test == "on":
            behind = day + timedelta(days=1)
        said.append(_between(condition.field, first, behind, setting.timezone))
    return joined(said, anyof)


def said_of_active(days: ActiveDays, setting: Setting) -> Said:
    """The days of receipt that a rule is for."""
    missing = [capability for capability in ("date", "relational") if not setting.can(capability)]
    if missing:
        return no(f"the server is not said to have {' and '.join(missing)}")
    first = None if days.first is None else date.fromisoformat(days.first)
    last = None if days.last is None else date.fromisoformat(days.last)
    if last == date.max:
        last = None
    behind = None if last is None else last + timedelta(days=1)
    if first is None and behind is None:
        return same(TRUE)
    return _between("received", first, behind, setting.timezone)
