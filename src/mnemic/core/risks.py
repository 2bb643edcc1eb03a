"""What in a rule's words is likely to take more than was meant."""

from collections.abc import Iterator

from mnemic.core.conditions.texts import TextTestCondition
from mnemic.core.rules import AllGroup, AnyGroup, AnyTest, NotGroup

__all__ = ["short_phrases"]

#: A piece of a word this short stands inside many others (common practice).
_SHORT = 3

_LOOSE = ("contains", "begins", "ends")


def _conditions(test: AnyTest) -> Iterator[AnyTest]:
    match test:
        case AllGroup() | AnyGroup():
            for each in test.tests:
                yield from _conditions(each)
        case NotGroup():
            yield from _conditions(test.not_)
        case _:
            yield test


def short_phrases(test: AnyTest) -> tuple[str, ...]:
    """Values of fewer than three characters that are looked for inside of words, in order."""
    found = (
        value
        for each in _conditions(test)
        if isinstance(each, TextTestCondition) and each.test in _LOOSE
        for value in each.comparable_values
        if len(value) < _SHORT
    )
    return tuple(dict.fromkeys(found))
