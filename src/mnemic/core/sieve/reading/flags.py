"""Flags of a script: each counts as it is when a place is reached (RFC 5232, section 3)."""

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import chain

from mnemic.core.bounds import MOST_CONDITIONS
from mnemic.core.rules import AllGroup, AnyTest, NotGroup
from mnemic.core.sieve.reading.deeds import Delivery, Done, FlagChange
from mnemic.core.sieve.reading.refusals import RefusedError
from mnemic.core.sieve.reading.steps import TOO_MANY, Reached, Step, any_of, held_by

__all__ = ["PutFlag", "flags_put"]

_TWO_FLAGS = "one message would get different flags in two places; no rule can say that"


@dataclass(frozen=True, slots=True)
class PutFlag:
    """A flag that a step puts on a message, unless one of some tests holds."""

    step: Step
    flag: str
    unless: tuple[AnyTest, ...]


def flags_put(done: Done, steps: Sequence[Step]) -> Iterator[PutFlag]:
    """The flags that messages have in the end. Raises RefusedError where places differ."""
    flags = _Flags(done, steps)
    for delivery in done.deliveries:
        if delivery.flags is not None:
            flags.check_own(delivery)
            yield from (PutFlag(delivery.step, flag, ()) for flag in delivery.flags)
    for change in done.flags:
        if change.change == "remove":
            continue
        for flag in change.flags:
            unless = flags.unless(change, flag)
            if unless is not None:
                yield PutFlag(change.step, flag, unless)


def _meet(first: Step, second: Step) -> bool:
    """Whether one message may reach both, the first before the second or in the same step."""
    return first is second or first.leads_to(second)


def _removes(change: FlagChange, name: str) -> bool:
    """Whether a change takes a flag away, if it is there."""
    if change.change == "add":
        return False
    return (change.change == "remove") == (name in {flag.lower() for flag in change.flags})


def _own_flags(delivery: Delivery) -> frozenset[str]:
    return frozenset(flag.lower() for flag in delivery.flags or ())


def _order(change: FlagChange) -> int:
    return change.order


class _Flags:
    def __init__(self, done: Done, steps: Sequence[Step]) -> None:
        self._done = done
        self._stopping = [step for step in steps if step.stops]
        self._delivered_to: Reached[Delivery] = Reached()
        self._by_step: dict[int, list[Delivery]] = {}
        self._by_flags: dict[frozenset[str], list[Delivery]] = {}
        self._taking_out = [delivery.step for delivery in done.deliveries if not delivery.copy]
        self._taking_out += done.cancels
        for delivery in done.deliveries:
            self._by_flags.setdefault(_own_flags(delivery), []).append(delivery)
            self._delivered_to.add(delivery.step, delivery)
            self._by_step.setdefault(delivery.step.place, []).append(delivery)
        self._removing: dict[str, list[FlagChange]] = {}

    def check_own(self, delivery: Delivery) -> None:
        """Refuse flags of one place where another place, or all, may get others."""
        own = _own_flags(delivery)
        if own and self._is_kept(delivery, delivery.step):
            raise RefusedError(delivery.at, _TWO_FLAGS)
        others = (placed for flags, placed in self._by_flags.items() if flags != own)
        for other in chain(*others):
            first, later = sorted((delivery, other), key=lambda placed: placed.order)
            if _meet(first.step, later.step):
                raise RefusedError(delivery.at, _TWO_FLAGS)
        for change in self._done.flags:
            sets = {flag.lower() for flag in change.flags if change.change != "remove"}
            meet = _meet(change.step, delivery.step) or _meet(delivery.step, change.step)
            if sets - own and meet:
                raise RefusedError(delivery.at, _TWO_FLAGS)

    def unless(self, change: FlagChange, flag: str) -> tuple[AnyTest, ...] | None:
        """Where a flag that is set here does not count in the end; None where it never counts."""
        before = self._delivered(0, change, change)
        for earlier in before:
            self._check_same(earlier, change)
        if any(earlier.step.is_sure_at(change.step) for earlier in before):
            return None
        unless = [_apart(earlier.step, change.step) for earlier in before]
        for removal in self._removals(change, flag):
            between = self._delivered(change.order, change, removal)
            for earlier in between:
                self._check_same(earlier, removal)
            if any(earlier.step.is_sure_at(removal.step) for earlier in between):
                continue
            if between:
                raise RefusedError(removal.at, _TWO_FLAGS)
            reached = self._reached(change.step, removal.step)
            if reached is None:
                return None
            unless.append(reached)
            if len(unless) > MOST_CONDITIONS:
                raise RefusedError(change.at, TOO_MANY)
        return tuple(dict.fromkeys(unless))

    def _delivered(self, begin: int, change: FlagChange, end: FlagChange) -> list[Delivery]:
        """Places that a message may have reached between an order and a change of flags."""
        earlier = self._delivered_to.before(end.step, end.at)
        own = [delivery for delivery in self._own(end.step) if delivery.order < end.order]
        return [
            delivery
            for delivery in (*earlier, *own)
            if begin < delivery.order < end.order
            and (not begin or _meet(change.step, delivery.step))
        ]

    def _own(self, step: Step) -> Sequence[Delivery]:
        return self._by_step.get(step.place, ())

    def _removals(self, change: FlagChange, flag: str) -> Iterator[FlagChange]:
        """What takes the flag away again."""
        name = flag.lower()
        if name not in self._removing:
            self._removing[name] = [other for other in self._done.flags if _removes(other, name)]
        removing = self._removing[name]
        for other in removing[bisect_right(removing, change.order, key=_order) :]:
            if _meet(change.step, other.step):
                yield other

    def _check_same(self, earlier: Delivery, change: FlagChange) -> None:
        """Refuse a message that is delivered, and again after its flags were changed."""
        if self._is_kept(earlier, change.step) or any(
            delivery.order > change.order
            and _meet(earlier.step, delivery.step)
            and _meet(change.step, delivery.step)
            for delivery in self._done.deliveries
        ):
            raise RefusedError(change.at, _TWO_FLAGS)

    def _is_kept(self, delivery: Delivery, last: Step) -> bool:
        """Whether a message that is delivered and reaches a step may stay in the inbox, too."""
        if not delivery.copy:
            return False
        passed = delivery.step, last
        return not any(self._is_sure_after(passed, step) for step in self._taking_out)

    def _is_sure_after(self, passed: Sequence[Step], step: Step) -> bool:
        """Whether a message that passed some steps reaches another: nothing may stop before it."""
        last = passed[-1]
        inside = any(before.branches[: len(step.branches)] == step.branches for before in passed)
        return inside and not any(
            stop is last or last.leads_to(stop)
            for stop in self._stopping
            if last.place <= stop.place < step.place
        )

    def _reached(self, first: Step, later: Step) -> AnyTest | None:
        """That a message that reached the first step reaches the later one; None if it does."""
        stops = [
            step
            for step in self._stopping
            if first.place < step.place < later.place and first.leads_to(step)
        ]
        sure = first.branches[: len(later.branches)] == later.branches
        if sure and not stops:
            return None
        tests = [] if sure else [_apart(later, first)]
        if stops:
            tests.append(NotGroup(not_=any_of([_apart(step, first) for step in stops])))
        return tests[0] if len(tests) == 1 else AllGroup(all=tuple(tests))


def _apart(first: Step, second: Step) -> AnyTest:
    """What leads to the first step beyond what leads to both."""
    common = 0
    for one, other in zip(first.branches, second.branches, strict=False):
        if one != other:
            break
        common += 1
    return held_by(first.branches[common:])
