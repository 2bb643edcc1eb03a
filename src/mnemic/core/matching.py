"""Whether a test holds for a message, and on what evidence.

This is the plain evaluator: every condition is looked at, none is skipped because the answer is
known already, so that a person can be shown why.
"""

from dataclasses import dataclass
from typing import Literal, TypeAlias

from mnemic.core.conditions import Candidate, Condition
from mnemic.core.folding import FoldedSpans
from mnemic.core.message import MessageView
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup
from mnemic.core.text_tests import Span

__all__ = ["Evidence", "TestTrail", "try_test"]

Kind: TypeAlias = Literal["all", "any", "not", "always", "condition"]


@dataclass(frozen=True, slots=True)
class Evidence:
    """What made a condition hold.

    ``field`` is where it was found (a header field, ``envelope`` or ``body``), ``value`` the text
    there as it stands, ``span`` the part of ``value`` that matched, in characters.
    """

    field: str
    value: str
    span: Span


@dataclass(frozen=True, slots=True)
class TestTrail:
    """A test with its answer; groups hold the trails of what is inside them."""

    __test__ = False  # not a test class of pytest's

    kind: Kind
    held: bool
    inside: tuple["TestTrail", ...] = ()
    condition: Condition | None = None
    evidence: Evidence | None = None


def _evidence(condition: Condition, candidate: Candidate, span: Span) -> Evidence:
    if not candidate.spans_map:
        return Evidence(candidate.where, candidate.original, (0, len(candidate.original)))
    # A regex saw the exact form of the text, whatever `case` says.
    spans = FoldedSpans(candidate.original, case=condition.case or condition.test == "regex")
    return Evidence(candidate.where, candidate.original, spans.original(*span))


def _try_condition(condition: Condition, message: MessageView) -> TestTrail:
    for candidate in condition.candidates(message):
        span = condition.find(candidate.comparable)
        if span is not None:
            evidence = _evidence(condition, candidate, span)
            return TestTrail("condition", True, condition=condition, evidence=evidence)
    return TestTrail("condition", False, condition=condition)


def try_test(test: AnyTest, message: MessageView) -> TestTrail:
    """Whether ``test`` holds for ``message``, with the answer of everything inside it."""
    match test:
        case AllGroup():
            inside = tuple(try_test(each, message) for each in test.tests)
            return TestTrail("all", all(each.held for each in inside), inside)
        case AnyGroup():
            inside = tuple(try_test(each, message) for each in test.tests)
            return TestTrail("any", any(each.held for each in inside), inside)
        case NotGroup():
            turned = try_test(test.not_, message)
            return TestTrail("not", not turned.held, (turned,))
        case Always():
            return TestTrail("always", True)
        case _:
            return _try_condition(test, message)
