"""What follows from a condition by logic alone, whatever the message.

Both answers err on the side of "not known": what is said to follow, follows. An address is taken
for ``local@domain``, as its comparable form reads. Conditions here have one value each.
"""

from collections.abc import Callable
from datetime import date
from functools import lru_cache
from typing import TypeAlias

from mnemic.core.canonical import canonical_address
from mnemic.core.conditions import AnyCondition
from mnemic.core.conditions.addresses import AddressCondition
from mnemic.core.conditions.choices import (
    AddressedCondition,
    ContactCondition,
    FlagCondition,
    KindCondition,
    PlaceCondition,
    PriorityCondition,
)
from mnemic.core.conditions.measures import (
    AgeCondition,
    DateCondition,
    SizeCondition,
    duration,
    octets,
)
from mnemic.core.conditions.texts import NamedHeaderCondition, TextTestCondition
from mnemic.core.domains import is_under
from mnemic.core.folding import fold
from mnemic.core.text_tests import finder

__all__ = ["excludes", "follows"]

#: From its first to its last whole number; None is without end.
_Interval: TypeAlias = tuple[int | None, int | None]

_MEASURES = (SizeCondition, DateCondition, AgeCondition)

#: Fields of which a message has one text at most.
_SINGLE = ("subject", "body", "list")

#: A text on the left holds every text of the part on the right.
_HOLDS: dict[str, tuple[str, ...]] = {
    "address": ("local", "user", "tag", "domain", "address"),
    "any": ("local", "user", "tag", "domain", "address", "name", "any"),
}


def _interval(condition: SizeCondition | DateCondition | AgeCondition) -> _Interval:
    """The numbers that pass, both ends included."""
    value = (condition.values)[0]
    if isinstance(condition, SizeCondition):
        size = octets(value)
        return (size + 1, None) if condition.test == "over" else (None, size - 1)
    if isinstance(condition, AgeCondition):
        # In half microseconds: an age strictly over one value and under the same is none.
        age = duration(str(value))
        point = 2 * (age.days * 86_400_000_000 + age.seconds * 1_000_000)
        return (point + 1, None) if condition.test == "over" else (None, point - 1)
    day = date.fromisoformat(str(value)).toordinal()
    if condition.test == "on":
        return day, day
    return (None, day - 1) if condition.test == "before" else (day + 1, None)


def _within(inner: _Interval, outer: _Interval) -> bool:
    low = outer[0] is None or (inner[0] is not None and inner[0] >= outer[0])
    high = outer[1] is None or (inner[1] is not None and inner[1] <= outer[1])
    return low and high


def _apart(one: _Interval, other: _Interval) -> bool:
    def before(left: _Interval, right: _Interval) -> bool:
        return left[1] is not None and right[0] is not None and left[1] < right[0]

    return before(one, other) or before(other, one)


def _chosen(condition: AnyCondition) -> object:
    """The one value of a condition whose values are picked, in the form that is compared."""
    if isinstance(condition, PlaceCondition):
        place = condition.values[0]
        return canonical_address(place) if condition.field == "account" else fold(place)
    return condition.values[0] if condition.values else None


def _value(condition: TextTestCondition) -> str:
    return condition.comparable_values[0]


def _same_text(one: TextTestCondition, other: TextTestCondition) -> bool:
    """Whether each text that ``one`` looks at is among those that ``other`` looks at."""
    if one.is_exact != other.is_exact:
        return False
    if isinstance(one, AddressCondition) and isinstance(other, AddressCondition):
        among = one.field == other.field or (
            other.field == "recipient" and one.field in ("to", "cc", "bcc")
        )
        return among and (one.part == other.part or (other.part == "any" and one.part != "domain"))
    if isinstance(one, NamedHeaderCondition) and isinstance(other, NamedHeaderCondition):
        return one.name.lower() == other.name.lower()
    return one.field == other.field


_Loose: TypeAlias = Callable[[str, str], bool]


def _has_words(value: str, sought: str) -> bool:
    return finder("words", (sought,), case=True)(value) is not None


#: For a test that held with a value, the tests that hold with another on the same text.
_FOLLOWING: dict[str, dict[str, _Loose]] = {
    "contains": {},
    "words": {"words": _has_words},
    "begins": {"begins": str.startswith},
    "ends": {"ends": str.endswith},
    "under": {"under": is_under, "ends": str.endswith},
}


def _test_follows(one: TextTestCondition, other: TextTestCondition) -> bool:
    """Whether a text that passes ``one`` passes ``other``."""
    if one.test == "is":
        return other.find(_value(one)) is not None
    if one.test not in _FOLLOWING or other.test in ("regex", "wildcard"):
        return False
    if other.test == "contains":
        return _value(other) in _value(one)
    rule = _FOLLOWING[one.test].get(other.test)
    return rule is not None and rule(_value(one), _value(other))


def _pieces_follow(one: AddressCondition, other: AddressCondition) -> bool:
    """What one part of an address says of another."""
    if one.field != other.field and not (
        other.field == "recipient" and one.field in ("to", "cc", "bcc")
    ):
        return False
    if one.is_exact or other.is_exact:
        return False
    value = _value(one)
    if one.part == "address" and one.test == "is" and "@" in value:
        local, _, domain = value.rpartition("@")
        pieces = {"local": local, "domain": domain}
        return other.part in pieces and other.find(pieces[other.part]) is not None
    if one.part not in _HOLDS.get(other.part, ()) or one.test not in ("is", *_FOLLOWING):
        return False
    if one.part == "domain" and one.test in ("is", "under") and other.test == "ends":
        ending = f"@{value}" if one.test == "is" else value
        return ending.endswith(_value(other))
    return other.test == "contains" and _value(other) in value


def _texts_follow(one: TextTestCondition, other: TextTestCondition) -> bool:
    tests: tuple[str, str] = one.test, other.test
    if tests[1] == "exists":
        attached = other.field == "attachment" and one.field == "attachment_type"
        return attached or _same_text(one, other) or _named_alike(one, other)
    if tests[0] == "exists":
        return False
    if _same_text(one, other) and _test_follows(one, other):
        return True
    if isinstance(one, AddressCondition) and isinstance(other, AddressCondition):
        return _pieces_follow(one, other)
    return False


def _named_alike(one: TextTestCondition, other: TextTestCondition) -> bool:
    """Whether both look at the same field, in whatever form."""
    if isinstance(one, NamedHeaderCondition) and isinstance(other, NamedHeaderCondition):
        return one.name.lower() == other.name.lower()
    return one.field == other.field and one.field in ("list", "attachment")


@lru_cache(maxsize=65_536)
def follows(one: AnyCondition, other: AnyCondition) -> bool:
    """Whether every message for which ``one`` holds is one for which ``other`` does."""
    if one == other:
        return True
    if isinstance(one, TextTestCondition) and isinstance(other, TextTestCondition):
        return _texts_follow(one, other)
    if one.field != other.field:
        return False
    if isinstance(one, _MEASURES) and isinstance(other, _MEASURES):
        return _within(_interval(one), _interval(other))
    return _chosen(one) == _chosen(other)


@lru_cache(maxsize=65_536)
def excludes(one: AnyCondition, other: AnyCondition) -> bool:
    """Whether there is no message for which both hold."""
    if isinstance(one, TextTestCondition) and isinstance(other, TextTestCondition):
        return _texts_exclude(one, other) or _texts_exclude(other, one)
    if one.field != other.field:
        return False
    if isinstance(one, _MEASURES) and isinstance(other, _MEASURES):
        return _apart(_interval(one), _interval(other))
    values = {_chosen(one), _chosen(other)}
    if isinstance(one, AddressedCondition):
        return len(values) > 1 and "not_me" in values
    if isinstance(one, ContactCondition):
        return values == {"known", "unknown"}
    if isinstance(one, PlaceCondition) and one.field == "label":
        return False
    single = KindCondition | PriorityCondition | FlagCondition | PlaceCondition
    return isinstance(one, single) and len(values) > 1


def _texts_exclude(one: TextTestCondition, other: TextTestCondition) -> bool:
    tests: tuple[str, str] = one.test, other.test
    if one.field not in _SINGLE or not _same_text(one, other) or "exists" in tests:
        return False
    if one.test == "is":
        return other.find(_value(one)) is None
    if one.test == other.test == "begins" or one.test == other.test == "ends":
        return not (_test_follows(one, other) or _test_follows(other, one))
    return False
