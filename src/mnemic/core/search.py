"""What a person types into Find, as a test of the rule document: a search can become a rule.

Words and "phrases" are looked for in the subject, the people, the text and the attachments'
names; a prefix asks for one field. A minus turns a term round. All terms have to hold.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any

from mnemic.core.errors import Problem, RuleDocumentError
from mnemic.core.fields import FIELDS
from mnemic.core.fields.field import Prefix, contains
from mnemic.core.rules import AllGroup, AnyGroup, AnyTest, NotGroup
from mnemic.core.rules.reading import read_test

__all__ = ["PREFIXES", "Prefix", "Search", "SearchTerm", "quoted", "search_terms", "understand"]

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
        wanted = [inner for inner in test.tests if not isinstance(inner, NotGroup)]
        spared = [inner.not_ for inner in test.tests if isinstance(inner, NotGroup)]
        if not wanted or not spared:
            return test, None
        unless = spared[0] if len(spared) == 1 else AnyGroup(any=tuple(spared))
        return wanted[0] if len(wanted) == 1 else AllGroup(all=tuple(wanted)), unless


#: Letters from which on a word may be the beginning of a prefix.
_BEGINS = 2

#: Every prefix, by its name: the fields say which they have.
PREFIXES: dict[str, Prefix] = {
    prefix.name: prefix for field in FIELDS.values() for prefix in field.prefixes
}

#: What some prefixes may be called, too.
_ALSO = {other: prefix.name for prefix in PREFIXES.values() for other in prefix.also}


def quoted(value: str) -> str:
    """A value as it is typed behind a prefix: in quotes where it has white space."""
    return f'"{value}"' if any(character.isspace() for character in value) else value


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
            contains("text", value),
            contains("from", value, part="any"),
            contains("recipient", value, part="any"),
            contains("attachment", value),
        ]
    }


def _term_test(term: SearchTerm, today: date) -> dict[str, Any] | None:
    """What a term asks for; None where its value is still being typed."""
    if not term.prefix:
        return _anywhere(term.value)
    prefix = PREFIXES[term.prefix]
    if prefix.choices and term.value.lower() not in prefix.choices:
        if any(choice.startswith(term.value.lower()) for choice in prefix.choices):
            return None
        allowed = ", ".join(prefix.choices)
        raise RuleDocumentError([Problem(term.prefix, f"is one of {allowed}")])
    return prefix.test(term.value, today)


def _begun(term: SearchTerm, text: str) -> Iterator[str]:
    """The prefixes that a term is the beginning of: it has no value yet, or is still typed."""
    if term.prefix and not term.value:
        yield term.prefix
    elif not term.prefix and term.end == len(text) and len(term.value) >= _BEGINS:
        yield from (prefix for prefix in PREFIXES if prefix.startswith(term.value.lower()))


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
            problems += [Problem(path, problem.message) for problem in error.problems]
    if not tests:
        return Search(None, tuple(problems), tuple(unfinished))
    joined = tests[0] if len(tests) == 1 else read_test({"all": tests})
    return Search(joined, tuple(problems), tuple(unfinished))
