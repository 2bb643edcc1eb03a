"""Tests in the forms that we write, known again by their shape."""

from collections.abc import Mapping, Set
from dataclasses import dataclass
from functools import cache
from typing import Any

from mnemic.core.sieve.reading.arguments import Sorted, sorted_arguments
from mnemic.core.sieve.reading.patterns import unquoted
from mnemic.core.sieve.syntax import Strings, Test
from mnemic.core.sieve.writing.kind_tests import KIND, kind_settings, kind_tests
from mnemic.core.sieve.writing.owner_tests import FIRST, SENDER

__all__ = ["Own", "own_test"]

_TEXT_TARGETS = ("header", "body", "address")


@dataclass(frozen=True, slots=True)
class Own:
    """A condition, and where it differs from what the script did."""

    condition: Mapping[str, Any]
    why: str


def own_test(test: Test, variables: Set[str]) -> Own | None:
    """The condition that a test was written for; None for any other test.

    ``variables`` are those of ours that the script sets as we do.
    """
    if test.name == "string":
        return _decided(test, variables)
    kind = _kinds_written_out().get(test)
    if kind is not None:
        return Own({"field": "kind", "test": "is", "values": [kind]}, _KINDS)
    if test.name == "body":
        return _attachment_type(test)
    if test.name == "not" and test.tests[0].name == "duplicate" and SENDER in variables:
        if sorted_arguments(test.tests[0]).text(":uniqueid") != f"${{{SENDER}}}":
            return None
        return Own(_FIRST_OF_SENDER, _FIRST)
    if test.name == "allof" and len(test.tests) == 2:
        return _word(*test.tests)
    return None


_FIRST_OF_SENDER = {"field": "contact", "test": "is", "values": ["first"]}
_KINDS = "kinds were told by less"
_FIRST = "senders counted from the day on which the script was put there"
_BY_EDGES = "a word ended only at white space and the usual signs"


@cache
def _kinds_written_out() -> Mapping[Test, str]:
    """The tests of kinds where no variable holds them, for whatever a server can do."""
    return {test: kind for setting in kind_settings() for kind, test in kind_tests(setting).items()}


def _decided(test: Test, variables: Set[str]) -> Own | None:
    """The kind, or whether the sender has written before, as a variable has it."""
    arguments = sorted_arguments(test)
    asked, values = arguments.strings(0), arguments.strings(1)
    if arguments.match != ":is":
        return None
    if KIND in variables and asked == (f"${{{KIND}}}",):
        return Own({"field": "kind", "test": "is", "values": list(values)}, _KINDS)
    if FIRST in variables and (asked, values) == ((f"${{{FIRST}}}",), ("1",)):
        return Own(_FIRST_OF_SENDER, _FIRST)
    return None


def _attachment_type(test: Test) -> Own | None:
    arguments = sorted_arguments(test)
    content = arguments.tags.get(":content")
    if (
        arguments.match != ":contains"
        or arguments.strings(0) != ("",)
        or not isinstance(content, Strings)
    ):
        return None
    values = [value if "/" in value else f"{value}/" for value in content.values]
    whole = all("/" in value for value in content.values)
    asked = "is" if whole else "begins"
    return Own(
        {"field": "attachment_type", "test": asked, "values": values},
        "any part of that type counted",
    )


def _word(begins: Test, ends: Test) -> Own | None:
    """A word: that it begins at an edge, and that it ends at one, at the same place."""
    if begins.name != ends.name or begins.name not in _TEXT_TARGETS:
        return None
    first, second = sorted_arguments(begins), sorted_arguments(ends)
    if first.match != ":matches" or second.match != ":matches":
        return None
    if first.tags != second.tags or _looked_at(begins, first) != _looked_at(ends, second):
        return None
    keys, others = first.strings(len(first.plain) - 1), second.strings(len(second.plain) - 1)
    word = unquoted(keys[0].removesuffix("*"))
    if not word or len(keys) < 2 or not keys[0].endswith("*") or others[0] != f"*{keys[0][:-1]}":
        return None
    at_edges = all(key.startswith("*") and key.endswith(keys[0]) for key in keys[1:])
    if not at_edges or not all(key.startswith(others[0]) for key in others[1:]):
        return None
    condition = _target(begins, first)
    if condition is None:
        return None
    case = {"case": True} if first.text(":comparator") == "i;octet" else {}
    return Own({**condition, "test": "words", "values": [word], **case}, _BY_EDGES)


def _looked_at(test: Test, arguments: Sorted) -> tuple[str, ...]:
    return () if test.name == "body" else arguments.strings(0)


_PARTS: Mapping[str, Mapping[str, str]] = {
    ":all": {},
    ":localpart": {"part": "local"},
    ":domain": {"part": "domain"},
    ":user": {"part": "user"},
    ":detail": {"part": "tag"},
}


def _target(test: Test, arguments: Sorted) -> Mapping[str, Any] | None:
    """What a test of words looks at, where that is one thing."""
    names = _looked_at(test, arguments)
    if test.name == "body":
        return {"field": "body"}
    if len(names) != 1:
        return None
    name = names[0].lower()
    if test.name == "header":
        return {"field": "subject"} if name == "subject" else {"field": "header", "name": names[0]}
    part = _PARTS[arguments.one_of(*_PARTS) or ":all"]
    field = name.replace("-", "_")
    if field not in ("from", "sender", "reply_to", "to", "cc", "bcc"):
        return None
    return {"field": field, **part}
