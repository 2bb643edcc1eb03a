"""Tests of a script as tests of rules, by what they mean."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, timedelta, tzinfo
from typing import Any

from mnemic.core.errors import RuleDocumentError
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup
from mnemic.core.rules.reading import read_test
from mnemic.core.sieve.reading.arguments import Sorted, sorted_arguments
from mnemic.core.sieve.reading.own_tests import own_test
from mnemic.core.sieve.reading.patterns import asked_by
from mnemic.core.sieve.reading.refusals import FOLDED, Notes, RefusedError
from mnemic.core.sieve.syntax import Number, Test
from mnemic.core.sieve.writing.measure_tests import offset_of

__all__ = ["Reader"]

#: Header fields of which addresses are read, and what rules call them.
_FIELDS = {
    "from": "from",
    "sender": "sender",
    "reply-to": "reply_to",
    "to": "to",
    "cc": "cc",
    "bcc": "bcc",
}
_PARTS = {
    ":all": "address",
    ":localpart": "local",
    ":domain": "domain",
    ":user": "user",
    ":detail": "tag",
}
_CASE = {"i;octet": True, "i;ascii-casemap": False, "i;unicode-casemap": False}

_NO_COUNTS = "no rule counts or compares like this; only days are compared"
_ENVELOPE = "whom it came to is looked for in its header fields as well"
_BODY = "of the text the server may have seen less or more than a reader does"
_NO_ZONE = "the days of the script were those of the server’s time zone"


def _always(answer: bool) -> AnyTest:
    held = Always(always=True)
    return held if answer else NotGroup(not_=held)


def _any(tests: Sequence[AnyTest]) -> AnyTest:
    return tests[0] if len(tests) == 1 else AnyGroup(any=tuple(tests))


@dataclass
class Reader:
    """Reads tests, of an owner in a time zone. What differs is noted.

    ``variables`` are those of ours that the script sets as we do.
    """

    timezone: tzinfo = UTC
    variables: frozenset[str] = frozenset()
    notes: Notes = field(default_factory=Notes)
    refused: list[RefusedError] = field(default_factory=list)

    def test(self, test: Test) -> AnyTest:
        """One test; what no rule can say is put to what is ``refused``, and stands for anything."""
        try:
            return self._read(test)
        except RefusedError as error:
            self.refused.append(error)
            return Always(always=True)

    def _read(self, test: Test) -> AnyTest:
        own = own_test(test, self.variables)
        if own is not None:
            self.notes.add(own.why)
            self.notes.add(FOLDED)
            return self._checked(test, own.condition)
        read: Callable[[Reader, Test, Sorted], AnyTest] | None = _READERS.get(test.name)
        if read is None:
            raise RefusedError(test.at, f"no rule can say what the test {test.name} asks")
        return read(self, test, sorted_arguments(test))

    def _checked(self, test: Test, condition: Mapping[str, Any]) -> AnyTest:
        try:
            return read_test(condition)
        except RuleDocumentError as error:
            raise RefusedError(test.at, error.problems[0].message) from error

    def _group(self, test: Test, _: Sorted) -> AnyTest:
        inside = tuple(self.test(inner) for inner in test.tests)
        if len(inside) == 1:
            return inside[0]
        return AllGroup(all=inside) if test.name == "allof" else AnyGroup(any=inside)

    def _not(self, test: Test, _: Sorted) -> AnyTest:
        inside = self.test(test.tests[0])
        return inside.not_ if isinstance(inside, NotGroup) else NotGroup(not_=inside)

    def _constant(self, test: Test, _: Sorted) -> AnyTest:
        return _always(test.name == "true")

    def _size(self, test: Test, arguments: Sorted) -> AnyTest:
        number = arguments.plain[0]
        assert isinstance(number, Number)
        over = "over" if ":over" in arguments.tags else "under"
        return self._checked(test, {"field": "size", "test": over, "values": [number.value]})

    def _exists(self, test: Test, arguments: Sorted) -> AnyTest:
        if arguments.tags:
            raise RefusedError(test.at, "no rule looks at the header fields of single parts")
        tests = tuple(
            self._checked(test, {"field": "header", "name": name, "test": "exists"})
            for name in arguments.strings(0)
        )
        return tests[0] if len(tests) == 1 else AllGroup(all=tests)

    def _case(self, test: Test, arguments: Sorted) -> dict[str, Any]:
        """What the comparator comes to; the default folds A to Z (RFC 5228, section 2.7.3)."""
        name = arguments.text(":comparator") or "i;ascii-casemap"
        if name not in _CASE:
            raise RefusedError(test.at, f"no rule compares as {name} does")
        if arguments.match in (":count", ":value", ":list"):
            raise RefusedError(test.at, f"{arguments.match}: {_NO_COUNTS}")
        self.notes.add(FOLDED)
        return {"case": True} if _CASE[name] else {}

    def _texts(
        self, test: Test, arguments: Sorted, keys: Iterable[str], kinds: Sequence[Mapping[str, Any]]
    ) -> AnyTest:
        """Keys looked for in what each of the kinds of condition looks at."""
        case = self._case(test, arguments)
        tests = []
        for kind in kinds:
            for asked, values in asked_by(arguments.match, keys):
                more = {"test": asked, "values": values, **case}
                tests.append(self._checked(test, {**kind, **more}))
        return _any(tests)

    def _header(self, test: Test, arguments: Sorted) -> AnyTest:
        names, keys = arguments.strings(0), arguments.strings(1)
        first_subject = arguments.number(":index") == 1 and ":last" not in arguments.tags
        if arguments.one_of(":mime", ":anychild", ":type", ":subtype", ":contenttype", ":param"):
            raise RefusedError(test.at, "no rule looks at the header fields of single parts")
        if arguments.one_of(":index", ":last") and not (
            first_subject and {name.lower() for name in names} == {"subject"}
        ):
            raise RefusedError(test.at, "no rule asks for one of several header fields")
        there = (arguments.match == ":contains" and "" in keys) or (
            arguments.match == ":matches" and "*" in keys
        )
        if there:
            self._case(test, arguments)
            return _any(
                [
                    self._checked(test, {"field": "header", "name": name, "test": "exists"})
                    for name in names
                ]
            )
        kinds = [
            {"field": "subject"}
            if name.lower() == "subject" and _says_something(arguments.match, keys)
            else {"field": "header", "name": name}
            for name in names
        ]
        return self._texts(test, arguments, keys, kinds)

    def _address(self, test: Test, arguments: Sorted) -> AnyTest:
        if arguments.one_of(":mime", ":anychild", ":index", ":last"):
            raise RefusedError(test.at, "no rule asks for one of several header fields or parts")
        names = arguments.strings(0)
        fields = [_FIELDS.get(name.lower()) for name in names]
        if None in fields:
            name = names[fields.index(None)]
            raise RefusedError(test.at, f"no rule reads addresses of the header field {name}")
        return self._addresses(test, arguments, [str(field) for field in fields])

    def _addresses(self, test: Test, arguments: Sorted, fields: Sequence[str]) -> AnyTest:
        part = _PARTS[arguments.one_of(*_PARTS) or ":all"]
        kinds = [
            {"field": field, **({} if part == "address" else {"part": part})} for field in fields
        ]
        return self._texts(test, arguments, arguments.strings(1), kinds)

    def _envelope(self, test: Test, arguments: Sorted) -> AnyTest:
        if [part.lower() for part in arguments.strings(0)] != ["to"]:
            raise RefusedError(test.at, "of the envelope only “to” can be asked for")
        self.notes.add(_ENVELOPE)
        return self._addresses(test, arguments, ["recipient"])

    def _body(self, test: Test, arguments: Sorted) -> AnyTest:
        if arguments.one_of(":raw", ":content"):
            raise RefusedError(test.at, "of the body only :text can be asked for")
        self.notes.add(_BODY)
        return self._texts(test, arguments, arguments.strings(0), [{"field": "body"}])

    # Days

    def _sent(self, test: Test, arguments: Sorted) -> AnyTest:
        if arguments.strings(0)[0].lower() != "date":
            raise RefusedError(test.at, "of header fields only the day of Date can be asked for")
        return self._days(test, arguments, "sent", arguments.strings(1)[0], arguments.strings(2))

    def _now(self, test: Test, arguments: Sorted) -> AnyTest:
        return self._days(
            test, arguments, "received", arguments.strings(0)[0], arguments.strings(1)
        )

    def _days(
        self, test: Test, arguments: Sorted, field: str, part: str, keys: Sequence[str]
    ) -> AnyTest:
        if arguments.one_of(":index", ":last", ":originalzone"):
            raise RefusedError(test.at, "no rule asks in which time zone a message was written")
        if part.lower() != "date":
            raise RefusedError(test.at, f"no rule asks for “{part}” of a date; only whole days")
        value = arguments.tags.get(":value")
        relation = arguments.text(":value") if value is not None else "eq"
        if arguments.match not in (":is", ":value") or relation is None:
            raise RefusedError(test.at, f"days can’t be asked for by {arguments.match}")
        days = [self._day(test, key) for key in keys]
        return _any([self._one_day(test, arguments, field, relation.lower(), day) for day in days])

    def _day(self, test: Test, key: str) -> date:
        try:
            return date.fromisoformat(key)
        except ValueError as error:
            raise RefusedError(test.at, f"“{key}” is no day like 2026-05-04") from error

    def _one_day(
        self, test: Test, arguments: Sorted, field: str, relation: str, day: date
    ) -> AnyTest:
        if date.max in (day, day - timedelta(days=1)) or day == date.min:
            raise RefusedError(test.at, "no rule asks for the first or last day that there is")
        bounds = {
            "lt": ("before", day, (day,)),
            "ge": ("after", day - timedelta(days=1), (day,)),
            "gt": ("after", day, (day + timedelta(days=1),)),
            "le": ("before", day + timedelta(days=1), (day + timedelta(days=1),)),
            "eq": ("on", day, (day, day + timedelta(days=1))),
            "ne": ("on", day, (day, day + timedelta(days=1))),
        }
        if relation not in bounds:
            raise RefusedError(test.at, f"“{relation}” is none of lt, le, gt, ge, eq, ne")
        asked, value, edges = bounds[relation]
        self._check_zone(test, arguments.text(":zone"), edges)
        read = self._checked(test, {"field": field, "test": asked, "values": [value.isoformat()]})
        return NotGroup(not_=read) if relation == "ne" else read

    def _check_zone(self, test: Test, zone: str | None, edges: Iterable[date]) -> None:
        """The offset has to be the owner's where the day begins or ends."""
        if zone is None:
            self.notes.add(_NO_ZONE)
            return
        for day in edges:
            mine = offset_of(day, self.timezone)
            if zone not in (mine, "-0000" if mine == "+0000" else mine):
                reason = f"the time zone {zone} is not yours on {day.isoformat()}, which is {mine}"
                raise RefusedError(test.at, reason)


def _says_something(match: str, keys: Iterable[str]) -> bool:
    """Whether no key stands for an empty subject, which is for us as none at all."""
    return all(key.strip() for key in keys) or match == ":regex"


_READERS: Mapping[str, Callable[[Reader, Test, Sorted], AnyTest]] = {
    "address": Reader._address,
    "allof": Reader._group,
    "anyof": Reader._group,
    "body": Reader._body,
    "currentdate": Reader._now,
    "date": Reader._sent,
    "envelope": Reader._envelope,
    "exists": Reader._exists,
    "false": Reader._constant,
    "header": Reader._header,
    "not": Reader._not,
    "size": Reader._size,
    "true": Reader._constant,
}
