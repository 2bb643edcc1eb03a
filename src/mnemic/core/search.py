"""What a person types into Find, as a test of the rule document: a search can become a rule.

Words and "phrases" are looked for in the subject, the people, the text and the attachments'
names; a prefix asks for one field. A minus turns a term round. All terms have to hold.
"""

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any, get_args

from mnemic.core.errors import Problem, RuleDocumentError
from mnemic.core.message import KindName, Priority
from mnemic.core.rule_reading import read_test
from mnemic.core.rules import AllGroup, AnyGroup, AnyTest, NotGroup

__all__ = ["PREFIXES", "Prefix", "Search", "SearchTerm", "search_terms", "understand"]

_TERM = re.compile(
    r"""(?P<minus>-)?(?:(?P<prefix>[a-z]+):)?(?:"(?P<phrase>[^"]*)"?|(?P<word>[^\s"]+))?""",
    re.IGNORECASE,
)


@dataclass(frozen=True, slots=True)
class SearchTerm:
    """One term as it was typed: where it stands, its prefix (or empty) and its value."""

    start: int
    end: int
    minus: bool
    prefix: str
    value: str


@dataclass(frozen=True, slots=True)
class Search:
    """What was understood: a test, None where nothing was said, and what could not be read.

    ``unfinished`` are the prefixes that still wait for something behind them, or are begun.
    """

    test: AnyTest | None
    problems: tuple[Problem, ...]
    unfinished: tuple[str, ...] = ()

    def as_rule(self) -> tuple[AnyTest | None, AnyTest | None]:
        """The same as *when* and *unless* of a rule: what has a minus is an exception."""
        test = self.test
        if not isinstance(test, AllGroup):
            return test, None
        wanted = [each for each in test.tests if not isinstance(each, NotGroup)]
        spared = [each.not_ for each in test.tests if isinstance(each, NotGroup)]
        if not wanted or not spared:
            return test, None
        unless = spared[0] if len(spared) == 1 else AnyGroup(any=tuple(spared))
        return wanted[0] if len(wanted) == 1 else AllGroup(all=tuple(wanted)), unless


@dataclass(frozen=True, slots=True)
class Prefix:
    """What can stand before a colon: its meaning, and what its value makes of a message.

    ``choices`` are the only values there are; empty where any text will do.
    """

    name: str
    meaning: str
    test: Callable[[str, date], dict[str, Any]]
    choices: tuple[str, ...] = ()


def _contains(field: str, value: str, **more: str) -> dict[str, Any]:
    return {"field": field, "test": "contains", "values": [value], **more}


def _people(field: str) -> Callable[[str, date], dict[str, Any]]:
    return lambda value, _: _contains(field, value, part="any")


def _text(field: str) -> Callable[[str, date], dict[str, Any]]:
    return lambda value, _: _contains(field, value)


def _is(field: str) -> Callable[[str, date], dict[str, Any]]:
    return lambda value, _: {"field": field, "test": "is", "values": [value]}


def _attachment(value: str, today: date) -> dict[str, Any]:
    del today
    there: dict[str, Any] = {"field": "attachment", "test": "exists"}
    if value.lower() == "yes":
        return there
    return {"not": there} if value.lower() == "no" else _contains("attachment", value)


#: Letters from which on a word may be the beginning of a prefix.
_BEGINS = 2

_STATES: dict[str, tuple[str, bool]] = {
    "unread": ("seen", False),
    "read": ("seen", True),
    "flagged": ("flagged", True),
}


def _state(value: str, today: date) -> dict[str, Any]:
    del today
    field, wanted = _STATES[value.lower()]
    return {"field": field, "test": "is", "values": [wanted]}


def _day(value: str, today: date) -> str:
    relative = {"today": today, "yesterday": today - timedelta(days=1)}
    found = relative.get(value.lower())
    return value if found is None else found.isoformat()


def _received(test: str) -> Callable[[str, date], dict[str, Any]]:
    return lambda value, today: {
        "field": "received",
        "test": test,
        "values": [_day(value, today)],
    }


#: Every prefix. A field that becomes searchable adds a row here.
PREFIXES: dict[str, Prefix] = {
    each.name: each
    for each in (
        Prefix("from", "the sender’s name or address", _people("from")),
        Prefix("to", "whom it came to: name, address or alias", _people("recipient")),
        Prefix("subject", "words of the subject", _text("subject")),
        Prefix("body", "words of the text", _text("body")),
        Prefix("folder", "the folder it is in", _is("folder")),
        Prefix("label", "a label it bears", _is("label")),
        Prefix(
            "kind",
            "what kind of mail it is",
            lambda value, _: _is("kind")(value.lower(), _),
            get_args(KindName),
        ),
        Prefix("on", "the day it was received, like 2026-05-04", _received("on")),
        Prefix("before", "received before a day", _received("before")),
        Prefix("after", "received after a day", _received("after")),
        Prefix("attachment", "“yes”, “no”, or words of its name", _attachment),
        Prefix("list", "the list it came through", _text("list")),
        Prefix("account", "the account it came to", _is("account")),
        Prefix(
            "importance",
            "what its writer said of its importance",
            lambda value, _: _is("priority")(value.lower(), _),
            get_args(Priority),
        ),
        Prefix("state", "whether it is read or flagged", _state, tuple(_STATES)),
    )
}


#: What some prefixes may be called, too: "priority" is the field's name in the rule document.
_ALSO = {"priority": "importance"}


def search_terms(text: str) -> Iterator[SearchTerm]:
    """The terms of a search, in order. A quote that is not closed reaches to the end."""
    position = 0
    while position < len(text):
        if text[position].isspace():
            position += 1
            continue
        match = _TERM.match(text, position)
        assert match is not None
        end = match.end() if match.end() > position else position + 1
        typed, value = match["prefix"] or "", match["phrase"] or match["word"] or ""
        prefix = _ALSO.get(typed.lower(), typed.lower())
        if prefix not in PREFIXES and prefix:
            prefix, value = "", f"{typed}:{value}"  # a word that happens to hold a colon
        yield SearchTerm(position, end, bool(match["minus"]), prefix, value)
        position = end


def _anywhere(value: str) -> dict[str, Any]:
    return {
        "any": [
            _contains("text", value),
            _contains("from", value, part="any"),
            _contains("recipient", value, part="any"),
            _contains("attachment", value),
        ]
    }


def _term_test(term: SearchTerm, today: date) -> dict[str, Any] | None:
    """What a term asks for; None where its value is still being typed."""
    if not term.prefix:
        return _anywhere(term.value)
    prefix = PREFIXES[term.prefix]
    if prefix.choices and term.value.lower() not in prefix.choices:
        if any(each.startswith(term.value.lower()) for each in prefix.choices):
            return None
        allowed = ", ".join(prefix.choices)
        raise RuleDocumentError([Problem(term.prefix, f"is one of {allowed}")])
    return prefix.test(term.value, today)


def _begun(term: SearchTerm, text: str) -> Iterator[str]:
    """The prefixes that a term is the beginning of: it has no value yet, or is still typed."""
    if term.prefix and not term.value:
        yield term.prefix
    elif not term.prefix and term.end == len(text) and len(term.value) >= _BEGINS:
        yield from (each for each in PREFIXES if each.startswith(term.value.lower()))


def understand(text: str, today: date) -> Search:
    """What a search asks for; ``today`` is the owner's day, for "today" and "yesterday".

    A term that can't be read is left out and told among the problems; one that is still being
    typed ("from:") is left out in silence.
    """
    tests: list[AnyTest] = []
    problems: list[Problem] = []
    unfinished: list[str] = []
    for term in search_terms(text):
        unfinished += _begun(term, text)
        if not term.value:
            continue
        try:
            asked = _term_test(term, today)
            if asked is None:
                unfinished.append(term.prefix)
                continue
            tests.append(read_test({"not": asked} if term.minus else asked))
        except RuleDocumentError as error:
            path = term.prefix or term.value
            problems += [Problem(path, each.message) for each in error.problems]
    if not tests:
        return Search(None, tuple(problems), tuple(unfinished))
    joined = tests[0] if len(tests) == 1 else read_test({"all": tests})
    return Search(joined, tuple(problems), tuple(unfinished))
