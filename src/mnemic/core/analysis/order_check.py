"""The order check: what can be said of a line of rules by logic, whatever mail comes.

A rule's mail is written as *cubes*, each a set of conditions that hold and of conditions that do
not; a message is taken where one cube fits. A cube lies within a rule's mail if it contradicts
every cube of what that rule does not take. What is not decided within ``_MOST_CUBES`` stays
undecided, and nothing is claimed.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import product
from typing import Literal, NamedTuple, TypeAlias, assert_never

from mnemic.core.actions import BaseAction
from mnemic.core.analysis.entailment import excludes, follows
from mnemic.core.canonical import canonical_address
from mnemic.core.fields import BaseCondition
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup, Rule

__all__ = ["LogicFinding", "check_line", "same_mail", "takes_apart"]

#: Beyond this a rule's logic is left undecided. A list of 500 senders is 500 cubes.
_MOST_CUBES = 1_000

#: Pairs of literals that are held against each other to find cubes that can't be.
_MOST_PAIRS = 500_000

FindingKind: TypeAlias = Literal["takes_nothing", "never_acts", "duplicate"]


class _Literal(NamedTuple):
    """A condition with one value, which holds or does not."""

    condition: BaseCondition
    holds: bool


_Cube: TypeAlias = frozenset[_Literal]
_Cubes: TypeAlias = tuple[_Cube, ...]


@dataclass(frozen=True, slots=True)
class LogicFinding:
    """Something wrong with the rule at ``position``, because of those ``by`` whose places are told.

    ``takes_nothing``: its conditions contradict each other. ``never_acts``: earlier rules stop all
    of its mail, or have always done what it would do. ``duplicate``: an earlier rule takes the
    same mail and does the same.
    """

    kind: FindingKind
    position: int
    by: tuple[int, ...] = ()


class _TooManyError(Exception):
    """There are more cubes than this check looks at."""


def _literal(condition: BaseCondition, *, holds: bool) -> _Literal:
    """A condition or its opposite, so that the literal says what holds."""
    opposite = None if holds else condition.opposite()
    return _Literal(condition, holds) if opposite is None else _Literal(opposite, holds=True)


def _joined(parts: Sequence[_Cubes]) -> _Cubes:
    """All of them at once."""
    count = 1
    for part in parts:
        count *= len(part)
    size = sum(max(map(len, part), default=0) for part in parts)
    if count > _MOST_CUBES or count * size * size > _MOST_PAIRS:
        raise _TooManyError
    every = (frozenset().union(*cubes) for cubes in product(*parts))
    return tuple(dict.fromkeys(cube for cube in every if not _impossible(cube)))


def _either(parts: Sequence[_Cubes]) -> _Cubes:
    cubes = tuple(dict.fromkeys(cube for part in parts for cube in part))
    if len(cubes) > _MOST_CUBES:
        raise _TooManyError
    return cubes


def _cubes(test: AnyTest, wanted: bool) -> _Cubes:
    """The cubes of the messages for which the test answers ``wanted``."""
    match test:
        case AllGroup() | AnyGroup():
            parts = [_cubes(inner, wanted) for inner in test.tests]
            return _joined(parts) if isinstance(test, AllGroup) is wanted else _either(parts)
        case NotGroup():
            return _cubes(test.not_, not wanted)
        case Always():
            return (frozenset(),) if wanted else ()
        case BaseCondition():
            return _cubes_of(test, wanted)
        case _:
            assert_never(test)


def _cubes_of(condition: BaseCondition, wanted: bool) -> _Cubes:
    if len(condition.values or ()) > _MOST_CUBES:
        raise _TooManyError
    cubes = [(frozenset([_literal(single, holds=wanted)]),) for single in condition.singles()]
    return _either(cubes) if wanted else _joined(cubes)


@lru_cache(maxsize=262_144)
def _contradict(one: _Literal, other: _Literal) -> bool:
    if one.holds and other.holds:
        return excludes(one.condition, other.condition)
    if one.holds:
        return follows(one.condition, other.condition)
    return other.holds and follows(other.condition, one.condition)


def _clash(one: _Cube, other: _Cube) -> bool:
    return any(_contradict(mine, theirs) for mine in one for theirs in other)


def _impossible(cube: _Cube) -> bool:
    literals = tuple(cube)
    return any(
        _contradict(literals[this], literals[that])
        for this in range(len(literals))
        for that in range(this)
    )


@lru_cache(maxsize=4_096)
def _taken(rule: Rule) -> _Cubes | None:
    """The cubes of what a rule takes; None where there are too many."""
    try:
        parts = [_cubes(rule.when, wanted=True)]
        if rule.days is not None:
            parts.append(_cubes(rule.days, wanted=True))
        if rule.unless is not None:
            parts.append(_cubes(rule.unless, wanted=False))
        return _joined(parts) if len(parts) > 1 else parts[0]
    except _TooManyError:
        return None


@lru_cache(maxsize=4_096)
def _left(rule: Rule) -> _Cubes | None:
    """The cubes of what a rule does not take; None where there are too many."""
    try:
        parts = [_cubes(rule.when, wanted=False)]
        if rule.days is not None:
            parts.append(_cubes(rule.days, wanted=False))
        if rule.unless is not None:
            parts.append(_cubes(rule.unless, wanted=True))
        return _either(parts)
    except _TooManyError:
        return None


def _within(cube: _Cube, rule: Rule) -> bool:
    """Whether the rule takes every message of the cube."""
    left = _left(rule)
    return left is not None and all(_clash(cube, other) for other in left)


def _within_rule(inner: Rule, outer: Rule) -> bool:
    cubes = _taken(inner)
    return cubes is not None and all(_within(cube, outer) for cube in cubes)


def same_mail(one: Rule, other: Rule) -> bool:
    """Whether two rules take the same messages, for certain."""
    return _within_rule(one, other) and _within_rule(other, one)


def takes_apart(one: Rule, other: Rule) -> bool:
    """Whether no message is taken by both rules, for certain."""
    mine, theirs = _taken(one), _taken(other)
    if mine is None or theirs is None:
        return False
    return all(_clash(this, that) for this in mine for that in theirs)


def _accounts(rule: Rule) -> frozenset[str]:
    return frozenset(map(canonical_address, rule.accounts))


def _tried_whenever(earlier: Rule, later: Rule) -> bool:
    """Whether mail that comes to the later rule has passed the earlier one."""
    if not earlier.enabled or not set(later.runs) <= set(earlier.runs):
        return False
    return not earlier.accounts or (bool(later.accounts) and _accounts(later) <= _accounts(earlier))


def _outdone(action: BaseAction, earlier: Rule) -> bool:
    """Whether an action changes nothing after a rule that took the same message."""
    return any(action.outdone_by(before) for before in earlier.then)


def _kept_from_acting(cube: _Cube, rule: Rule, earlier: dict[int, Rule]) -> frozenset[int] | None:
    """The places of the earlier rules that leave the rule nothing to do with a cube, or None."""
    over = {place: above for place, above in earlier.items() if _within(cube, above)}
    stopping = next((place for place, above in over.items() if above.stop), None)
    if stopping is not None:
        return frozenset([stopping])
    if rule.stop:
        return None  # it keeps later rules from being tried
    by = set()
    for action in rule.then:
        place = next((place for place, above in over.items() if _outdone(action, above)), None)
        if place is None:
            return None
        by.add(place)
    return frozenset(by)


def _never_acts(line: Sequence[Rule], position: int) -> tuple[int, ...] | None:
    rule = line[position]
    cubes = _taken(rule)
    if not cubes or "hand" in rule.runs:  # when asked, it runs by itself
        return None
    earlier = {
        place: above for place, above in enumerate(line[:position]) if _tried_whenever(above, rule)
    }
    by: set[int] = set()
    for cube in cubes:
        places = _kept_from_acting(cube, rule, earlier)
        if places is None:
            return None
        by |= places
    return tuple(sorted(by))


def _duplicated(line: Sequence[Rule], position: int) -> int | None:
    rule = line[position]
    for place, above in enumerate(line[:position]):
        alike = (
            above.enabled
            and set(above.runs) == set(rule.runs)
            and _accounts(above) == _accounts(rule)
            and set(above.then) == set(rule.then)
            and above.stop == rule.stop
        )
        if alike and same_mail(above, rule):
            return place
    return None


def check_line(line: Sequence[Rule]) -> tuple[LogicFinding, ...]:
    """What is certainly wrong with rules that are on, one finding for a rule at most."""
    return _checked(tuple(line))


@lru_cache(maxsize=8)  # it is asked for again whenever mail comes in, of the same line
def _checked(line: tuple[Rule, ...]) -> tuple[LogicFinding, ...]:
    findings = []
    for position, rule in enumerate(line):
        if not rule.enabled:
            continue
        if _taken(rule) == ():
            findings.append(LogicFinding("takes_nothing", position))
            continue
        like = _duplicated(line, position)
        if like is not None:
            findings.append(LogicFinding("duplicate", position, (like,)))
            continue
        by = _never_acts(line, position)
        if by is not None:
            findings.append(LogicFinding("never_acts", position, by))
    return tuple(findings)
