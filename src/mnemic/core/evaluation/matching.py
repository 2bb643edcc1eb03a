"""Whether a test holds for a message, and on what evidence.

This is the plain evaluator: every condition is looked at, none is skipped because the answer is
known already, so that a person can be shown why.
"""

from dataclasses import dataclass
from typing import Literal, TypeAlias, assert_never

from mnemic.core.fields import NOTHING_GIVEN, BaseCondition, Evidence, Given
from mnemic.core.message import MessageView
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup

__all__ = ["Evidence", "TestTrail", "try_test"]

TrailKind: TypeAlias = Literal["all", "any", "not", "always", "condition"]


@dataclass(frozen=True, slots=True)
class TestTrail:
    """A test with its answer; groups hold the trails of what is inside them."""

    __test__ = False  # not a test class of pytest's

    kind: TrailKind
    held: bool
    inside: tuple["TestTrail", ...] = ()
    condition: BaseCondition | None = None
    evidence: Evidence | None = None


def try_test(test: AnyTest, message: MessageView, given: Given | None = None) -> TestTrail:
    """Whether ``test`` holds for ``message``, with the answer of everything inside it."""
    return _try(test, message, given or NOTHING_GIVEN)


def _try(test: AnyTest, message: MessageView, given: Given) -> TestTrail:
    match test:
        case AllGroup():
            inside = tuple(_try(inner_test, message, given) for inner_test in test.tests)
            return TestTrail("all", all(inner.held for inner in inside), inside)
        case AnyGroup():
            inside = tuple(_try(inner_test, message, given) for inner_test in test.tests)
            return TestTrail("any", any(inner.held for inner in inside), inside)
        case NotGroup():
            turned = _try(test.not_, message, given)
            return TestTrail("not", not turned.held, (turned,))
        case Always():
            return TestTrail("always", True)
        case BaseCondition():
            evidence = test.evidence(message, given)
            return TestTrail("condition", evidence is not None, condition=test, evidence=evidence)
        case _:
            assert_never(test)
