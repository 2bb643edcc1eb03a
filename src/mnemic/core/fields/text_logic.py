"""What follows for one text from a test that it passed: for the order check."""

from collections.abc import Callable
from typing import NamedTuple, TypeAlias

from mnemic.core.text.domains import is_under
from mnemic.core.text.text_tests import Find, finder

__all__ = ["TELLING_TESTS", "Sought", "can_not_both_pass", "follows"]


class Sought(NamedTuple):
    """A test with one value in comparable form, and what finds it in a text."""

    test: str
    value: str
    find: Find


_Looser: TypeAlias = Callable[[str, str], bool]


def _has_words(value: str, sought: str) -> bool:
    return finder("words", (sought,), case=True)(value) is not None


#: The tests that hold with another value on the same text, by a test that held with a value.
_FOLLOWING: dict[str, dict[str, _Looser]] = {
    "contains": {},
    "words": {"words": _has_words},
    "begins": {"begins": str.startswith},
    "ends": {"ends": str.endswith},
    "under": {"under": is_under, "ends": str.endswith},
}

#: Tests whose value stands in every text that passes.
TELLING_TESTS = ("is", *_FOLLOWING)


def follows(one: Sought, other: Sought) -> bool:
    """Whether every text that passes ``one`` passes ``other``, as far as it is known."""
    if one.test == "is":
        return other.find(one.value) is not None
    if one.test not in _FOLLOWING or other.test in ("regex", "wildcard"):
        return False
    if other.test == "contains":
        return other.value in one.value
    looser = _FOLLOWING[one.test].get(other.test)
    return looser is not None and looser(one.value, other.value)


def can_not_both_pass(one: Sought, other: Sought) -> bool:
    """Whether no text passes both, as far as it is known."""
    if one.test == "is":
        return other.find(one.value) is None
    if other.test == "is":
        return one.find(other.value) is None
    if one.test == other.test and one.test in ("begins", "ends"):
        return not (follows(one, other) or follows(other, one))
    return False
