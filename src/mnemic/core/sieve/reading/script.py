"""A script as a rule document: taken whole, or not at all."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, tzinfo
from typing import Any

from mnemic.core.bounds import MOST_NAME
from mnemic.core.errors import RuleDocumentError
from mnemic.core.rules import AllGroup, AnyTest, NotGroup, Rule
from mnemic.core.rules.reading import read_rule
from mnemic.core.rules.sentence import test_saying
from mnemic.core.sieve.checking import problems_of, sound_tests
from mnemic.core.sieve.comments import SENTENCE, kept_rules, plain_line
from mnemic.core.sieve.errors import SieveError
from mnemic.core.sieve.grammar import parsed, text_of_script
from mnemic.core.sieve.reading.conditions import Reader
from mnemic.core.sieve.reading.own_form import own_rules, remembers, without_preludes
from mnemic.core.sieve.reading.refusals import RefusedError
from mnemic.core.sieve.reading.rules import Made, made_rules
from mnemic.core.sieve.reading.steps import any_of, steps_of
from mnemic.core.sieve.syntax import Command
from mnemic.core.sieve.tokens import Lines
from mnemic.core.sieve.writing.grades import Grade
from mnemic.core.sieve.writing.kind_tests import KIND
from mnemic.core.sieve.writing.owner_tests import FIRST
from mnemic.core.sieve.writing.script import RuleGrade
from mnemic.core.text.folding import fold

__all__ = ["ReadScript", "read_script"]


@dataclass(frozen=True, slots=True)
class ReadScript:
    """The rules that a script comes to, with their grades; ``own`` where it is ours, unchanged."""

    rules: tuple[Rule, ...]
    grades: tuple[RuleGrade, ...]
    own: bool


def read_script(octets: bytes, timezone: tzinfo = UTC) -> ReadScript:
    """The rules that say what a script says, for an owner in a time zone.

    Raises SieveError with everything in it that no rule can say, each with its place.
    """
    text = text_of_script(octets)
    kept = kept_rules(text)
    if kept is not None:
        return ReadScript(kept, (), own=True)
    commands, problems = parsed(text)
    lines = Lines(text)
    complaints = [lines.problem(at, why) for at, why in problems_of(commands, whole=not problems)]
    if problems or complaints:
        unsaid = [lines.problem(refusal.at, refusal.reason) for refusal in _tests_refused(commands)]
        raise SieveError([*problems, *complaints, *unsaid])
    rest, variables = without_preludes(commands)
    reader = Reader(timezone, variables)
    labels = _labels(text)
    if remembers(rest):
        made, refused = own_rules(rest, reader, labels)
    else:
        made, refused = made_rules(steps_of(rest, reader), labels)
    rules: list[tuple[Rule, Sequence[str]]] = []
    for one in made:
        try:
            rules.append((_rule(one), one.why))
        except RefusedError as error:
            refused.append(error)
    refused += reader.refused
    if refused:
        raise SieveError(lines.problem(refusal.at, refusal.reason) for refusal in refused)
    return ReadScript(
        tuple(rule for rule, _ in rules),
        tuple(
            RuleGrade(place, rule.name, Grade.CLOSE if why else Grade.SAME, tuple(why), True)
            for place, (rule, why) in enumerate(rules)
        ),
        own=False,
    )


def _tests_refused(commands: Sequence[Command]) -> Sequence[RefusedError]:
    """What no rule can say of the tests that have nothing else wrong."""
    reader = Reader(variables=frozenset({KIND, FIRST}))
    for test in sound_tests(commands):
        reader.test(test)
    return reader.refused


_LABEL = re.compile(rf"^#{SENTENCE} The label “(.+)” is the keyword (\S+)\.\r?$", re.MULTILINE)


def _labels(text: str) -> Mapping[str, str]:
    """Which labels keywords stand for, as the comments of our scripts say."""
    return {keyword.lower(): label for label, keyword in _LABEL.findall(text)}


def _rule(made: Made) -> Rule:
    unless = any_of(made.unless) if made.unless else None
    when = made.when
    if isinstance(when, AllGroup) and unless is None:
        when, unless = _with_exceptions(when)
    keys: dict[str, Any] = {"name": "-", "when": when, "then": made.then, "stop": made.stop}
    if unless is not None:
        keys["unless"] = unless
    keys["name"] = _name(made, when)
    try:
        return read_rule(keys)
    except RuleDocumentError as error:
        reasons = "; ".join(problem.message for problem in error.problems)
        raise RefusedError(made.at, reasons) from error


def _with_exceptions(when: AllGroup) -> tuple[AnyTest, AnyTest | None]:
    """What is turned round at the end of a condition as what it is: an exception."""
    *tests, last = when.all
    if not tests or not isinstance(last, NotGroup):
        return when, None
    return AllGroup(all=tuple(tests)), last.not_


def _name(made: Made, when: AnyTest) -> str:
    """The last comment before it, else what it is about."""
    said = [comment for comment in made.comments if not comment.startswith(SENTENCE)]
    named = [plain for comment in said if (plain := plain_line(comment)) and not _is_kept(plain)]
    if named:
        return named[-1][:MOST_NAME].strip()
    saying = plain_line(test_saying(when))
    if fold(saying) == "any message comes":
        return "All mail"
    short = saying if len(saying) <= 80 else f"{saying[:79].rsplit(' ', 1)[0]}…"
    return short[:1].upper() + short[1:]


def _is_kept(comment: str) -> bool:
    """Whether it is a line of a rule that stands in our scripts as it is."""
    return comment.startswith("mnemic 1 ")
