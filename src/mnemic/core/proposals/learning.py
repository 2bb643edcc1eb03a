"""Which conditions tell the mail of a habit from all other mail.

Conditions alone and two together are weighed by the length of the shortest description of what was
done: the conditions themselves, and then, of the mail they take and of the mail they leave, which
messages it was done to (minimum description length; Rissanen 1978). So a condition that leaves out
a slip costs more than the slip, and one that takes a part of the mail alone costs more than the
one that takes all of it.
"""

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations
from math import log2
from operator import itemgetter
from typing import Protocol

from mnemic.core.fields import BaseCondition
from mnemic.core.proposals.certainty import CountedMail, lower_bound
from mnemic.core.proposals.habits import Habit
from mnemic.core.proposals.message_set import MessageSet, ids_in
from mnemic.core.proposals.traits import Trait
from mnemic.core.rules.sentence import condition_saying

__all__ = ["SUREST", "Learnt", "LearntMail", "learn", "make_ready"]

#: A condition is proposed from this lower bound on.
SUREST = 0.6

#: Messages whose traits are looked at; their number tells as well which are frequent.
_SAMPLE = 60

#: A trait has to be seen this often in the sample.
_FEWEST = 3

#: Traits that are held against all mail, and of these those that are tried two together.
_MOST_TRAITS, _MOST_PAIRED = 60, 40

#: Two rules say the same if of all mail that one of them takes so much is taken by both.
_SAME = 0.9

#: A habit may have several rules, say several senders for one folder; not ever so many.
_MOST_RULES = 6


class LearntMail(Protocol):
    """What is asked of the mail."""

    def holding(self, conditions: Sequence[BaseCondition]) -> list[MessageSet]:
        """The messages for which each condition holds, without erased ones."""

    def since_first_of(self, messages: MessageSet) -> MessageSet:
        """The messages received since the earliest of these, it included."""

    def traits(self, messages: Sequence[int]) -> dict[int, frozenset[Trait]]:
        """The traits of the messages that are still here, by message."""


@dataclass(frozen=True)
class Learnt:
    """Conditions that together take the mail of a habit, and how often it was done with it."""

    conditions: tuple[BaseCondition, ...]
    counted: CountedMail

    @property
    def taken(self) -> MessageSet:
        """What they take of all mail."""
        return self.counted.taken

    @property
    def length(self) -> tuple[int, int, str]:
        """How long it is to say: fewer conditions first, then fewer letters."""
        saying = " and ".join(map(condition_saying, self.conditions))
        return len(self.conditions), len(saying), saying


def _description(size: int, marked: int) -> float:
    """Bits that it takes to tell which of so many messages are marked."""
    if not 0 < marked < size:
        return 0.0
    share = marked / size
    entropy = -share * log2(share) - (1 - share) * log2(1 - share)
    return size * entropy + 0.5 * log2(size)


def _spread(messages: MessageSet) -> list[int]:
    """Some of the messages, evenly over all of them."""
    ids = list(ids_in(messages))
    step = max(1.0, len(ids) / _SAMPLE)
    return [ids[int(at * step)] for at in range(min(_SAMPLE, len(ids)))]


def _telling(by_message: dict[int, frozenset[Trait]]) -> list[Trait]:
    """The traits that stand in several messages, the most frequent first.

    Of phrases that stand in the same messages the shortest and the longest are enough.
    """
    where: dict[Trait, list[int]] = defaultdict(list)
    for message, traits in by_message.items():
        for trait in traits:
            where[trait].append(message)
    alike: dict[tuple[str, tuple[int, ...]], list[Trait]] = defaultdict(list)
    kept = []
    for trait, messages in where.items():
        if len(messages) < _FEWEST:
            continue
        if trait.test == "words":
            alike[trait.field, tuple(messages)].append(trait)
        else:
            kept.append(trait)
    for phrases in alike.values():
        phrases.sort(key=lambda trait: (len(trait.value), trait.value))
        kept += {phrases[0], phrases[-1]}
    kept.sort(key=lambda trait: (-len(where[trait]), trait))
    return kept[:_MOST_TRAITS]


class _Weighing:
    """Weighs conditions by the length of the description, in bits, of what was done.

    Of the mail that is ``open``, it was done with what is ``left``.
    """

    def __init__(self, left: MessageSet, open_: MessageSet, traits: int) -> None:
        self._left, self._open = left, open_
        self._sizes = open_.bit_count(), left.bit_count()
        self._naming = log2(max(2, traits))
        self._least = _description(*self._sizes)  # of no rule at all
        self._sure: list[tuple[float, tuple[int, int, str], Learnt]] = []

    def _cost(self, learnt: Learnt) -> float:
        taken = learnt.taken & self._open
        size, marked = taken.bit_count(), (taken & self._left).bit_count()
        rest, others = self._sizes[0] - size, self._sizes[1] - marked
        said = len(learnt.conditions) * self._naming
        return said + _description(size, marked) + _description(rest, others)

    def may_be_better(self, done: int) -> bool:
        """Whether two conditions may be the best that together take so many of those done."""
        others = max(0, self._sizes[1] - done)
        rest = _description(max(0, self._sizes[0] - done), others)
        return lower_bound(done, done) >= SUREST and 2 * self._naming + rest < self._least

    def add(self, learnt: Learnt) -> None:
        """Weigh conditions that are sure."""
        cost = self._cost(learnt)
        if cost < _description(*self._sizes):
            self._sure.append((cost, learnt.length, learnt))
            self._least = min(self._least, cost)

    def best(self) -> Learnt | None:
        """The shortest to say of those that take the same mail as what weighs least."""
        if not self._sure:
            return None
        _, _, best = min(self._sure, key=itemgetter(0, 1))
        alike = ((length, other) for _, length, other in self._sure if _same(other, best))
        return min(alike, key=itemgetter(0))[1]


class _Search:
    """Looks for the conditions of one habit."""

    def __init__(self, habit: Habit, mail: LearntMail, check: Callable[[], None]) -> None:
        self._habit, self._mail, self._check = habit, mail, check
        self._chances = mail.since_first_of(habit.did)
        self._own = list(ids_in(habit.did))

    def _learnt(self, conditions: tuple[BaseCondition, ...], taken: MessageSet) -> Learnt:
        counted = CountedMail(taken, taken & self._chances, taken & self._habit.did)
        return Learnt(conditions, counted)

    def _singles(self, left: MessageSet) -> list[Learnt]:
        singles: dict[MessageSet, Learnt] = {}
        traits = _telling(self._mail.traits(_spread(left)))
        self._check()
        conditions = [trait.condition for trait in traits if trait.condition is not None]
        for condition, taken in zip(conditions, self._mail.holding(conditions), strict=True):
            single = self._learnt((condition,), taken)
            known = singles.get(single.taken)
            if known is None or single.length < known.length:
                singles[single.taken] = single
        return sorted(singles.values(), key=lambda learnt: -(learnt.counted.did & left).bit_count())

    def _pairs(self, singles: Sequence[Learnt], worth: Callable[[int], bool]) -> Iterator[Learnt]:
        """Two of them together, where what they have in common may be ``worth`` it."""
        few = [(learnt, self._few(learnt.counted.did)) for learnt in singles[:_MOST_PAIRED]]
        for (one, mine), (other, theirs) in combinations(few, 2):
            if not worth((mine & theirs).bit_count()):
                continue
            taken = one.taken & other.taken
            if taken not in (one.taken, other.taken):
                yield self._learnt((*one.conditions, *other.conditions), taken)

    def _few(self, messages: MessageSet) -> int:
        """Messages of the habit by their places in it: few bits, where all mail has many."""
        return sum(1 << at for at, key in enumerate(self._own) if messages >> key & 1)

    def _is_sure(self, learnt: Learnt) -> bool:
        return learnt.counted.bound >= SUREST and self._habit.is_one_with(learnt.taken)

    def best(self, left: MessageSet, open_: MessageSet) -> Learnt | None:
        """What tells best the messages that are left, of those that are open."""
        singles = self._singles(left)
        weighing = _Weighing(left, open_, len(singles))
        for single in filter(self._is_sure, singles):
            weighing.add(single)
        for pair in self._pairs(singles, weighing.may_be_better):
            if self._is_sure(pair):
                weighing.add(pair)
        return weighing.best()

    def rules(self) -> Iterator[Learnt]:
        """One after the other, each for what the ones before it leave."""
        left, open_ = self._habit.did, self._chances
        for _ in range(_MOST_RULES):
            best = self.best(left, open_)
            if best is None or not best.counted.did & left:
                return
            yield best
            left, open_ = left & ~best.taken, open_ & ~best.taken


def _same(one: Learnt, other: Learnt) -> bool:
    both, either = one.taken & other.taken, one.taken | other.taken
    return both.bit_count() >= _SAME * either.bit_count()


def learn(habit: Habit, mail: LearntMail, check: Callable[[], None] = lambda: None) -> list[Learnt]:
    """The conditions that tell the mail of a habit, each with what it takes.

    ``check`` is called now and then; what it raises ends the work.
    """
    return list(_Search(habit, mail, check).rules()) if habit.did else []


def make_ready(habits: Iterable[Habit], mail: LearntMail) -> None:
    """Ask for what all habits are looked at by, at once: one pass over the mail does for all."""
    traits = {
        trait
        for habit in habits
        for trait in _telling(mail.traits(_spread(habit.did)))
        if trait.condition is not None
    }
    mail.holding([trait.condition for trait in sorted(traits) if trait.condition is not None])
