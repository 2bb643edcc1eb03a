"""How many conditions keep each message from a rule: ``nearly`` of the core, for whole arrays."""

from collections.abc import Callable, Iterator
from functools import reduce
from typing import Self, TypeAlias, assert_never

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.canonical import canonical_address
from mnemic.core.fields import BaseCondition
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup, conditions_in
from mnemic.store.owner.accounts import list_accounts
from mnemic.store.search.masks import IdRange, Mask, Masks

__all__ = ["Misses", "of_accounts", "positive_conditions", "taken_by_rule"]

Weights: TypeAlias = NDArray[np.int32]

#: No answers of conditions could bring it about.
_NEVER = 1_000_000


def positive_conditions(test: AnyTest) -> Iterator[BaseCondition]:
    """The conditions that are not negated: those whose evidence speaks for the rule."""
    match test:
        case AllGroup() | AnyGroup():
            for inner in test.tests:
                yield from positive_conditions(inner)
        case NotGroup() | Always():
            return
        case BaseCondition():
            yield test
        case _:
            assert_never(test)


class Misses:
    """How many conditions keep each message of a range of ids from a rule."""

    def __init__(self, size: int, of: Callable[[BaseCondition], Mask]) -> None:
        """``of`` gives for a condition the messages that it holds for."""
        self._size, self._of = size, of
        self._known: dict[tuple[AnyTest, bool], Weights] = {}
        self._held: dict[AnyTest, Mask] = {}

    @classmethod
    def within(cls, masks: Masks, id_range: IdRange) -> Self:
        """The misses for a range of ids."""
        return cls(id_range.size, lambda condition: masks.of(condition, id_range))

    def flips_needed(self, test: AnyTest, *, wanted: bool) -> Weights:
        """How few conditions would have to answer otherwise for the test to answer ``wanted``."""
        known = self._known.get((test, wanted))
        if known is None:
            known = self._known[test, wanted] = self._flips_needed(test, wanted=wanted)
        return known

    def _flips_needed(self, test: AnyTest, *, wanted: bool) -> Weights:
        match test:
            case AllGroup() | AnyGroup():
                whole, *others = (self.flips_needed(inner, wanted=wanted) for inner in test.tests)
                summed = isinstance(test, AllGroup) is wanted
                for other in others:
                    whole = whole + other if summed else np.minimum(whole, other)
                return np.minimum(whole, _NEVER) if summed and others else whole
            case NotGroup():
                return self.flips_needed(test.not_, wanted=not wanted)
            case Always():
                return np.full(self._size, 0 if wanted else _NEVER, np.int32)
            case BaseCondition():
                turned: Weights = (self._of(test) != wanted).astype(np.int32)
                return turned
            case _:
                assert_never(test)

    def holds(self, test: AnyTest) -> Mask:
        """The messages for which a test holds."""
        held = self._held.get(test)
        if held is None:
            held = self._held[test] = self._holds(test)
        return held

    def _holds(self, test: AnyTest) -> Mask:
        match test:
            case AllGroup():
                return reduce(np.logical_and, map(self.holds, test.tests))
            case AnyGroup():
                return reduce(np.logical_or, map(self.holds, test.tests))
            case NotGroup():
                return ~self.holds(test.not_)
            case Always():
                return np.ones(self._size, np.bool_)
            case BaseCondition():
                return self._of(test)
            case _:
                assert_never(test)

    def takes(self, rule: Rule) -> Mask:
        """The messages that a rule takes."""
        when = self.within_days(rule)
        return when if rule.unless is None else when & ~self.holds(rule.unless)

    def within_days(self, rule: Rule) -> Mask:
        """The messages for which *when* holds, received on the days that the rule is for."""
        when = self.holds(rule.when)
        return when if rule.days is None else when & self.holds(rule.days)

    def nearly(self, rule: Rule) -> Mask:
        """The messages that a rule misses by exactly one condition, while another speaks for it."""
        alone = sum(1 for _ in conditions_in(rule.when)) <= 1
        if alone and rule.unless is None and rule.days is None:  # there is no other
            return np.zeros(self._size, np.bool_)
        when = self.flips_needed(rule.when, wanted=True)
        others = 0 if rule.unless is None else self.flips_needed(rule.unless, wanted=False)
        if rule.days is not None:
            others = others + self.flips_needed(rule.days, wanted=True)
        spoken_for = when == 0
        for condition in positive_conditions(rule.when):
            spoken_for = spoken_for | self._of(condition)
        mask: Mask = (when + others == 1) & spoken_for
        return mask


def of_accounts(session: Session, masks: Masks, rule: Rule, id_range: IdRange) -> Mask:
    """The messages of the accounts that a rule applies to."""
    there = masks.there(id_range)
    if not rule.accounts:
        return there
    wanted = set(map(canonical_address, rule.accounts))
    accounts = list_accounts(session)
    ids = [account.id for account in accounts if canonical_address(account.address) in wanted]
    return there & masks.of_accounts(ids, id_range)


def taken_by_rule(
    session: Session, masks: Masks, misses: Misses, rule: Rule, id_range: IdRange
) -> Mask:
    """The messages of a range of ids that a rule takes, of the accounts that it applies to."""
    return misses.takes(rule) & of_accounts(session, masks, rule, id_range)
