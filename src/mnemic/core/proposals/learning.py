"""Which conditions tell the mail of a habit from all other mail.

Conditions alone and two together are weighed by the length of the shortest description of what was
done: the conditions themselves, and then, of the mail they take and of the mail they leave, which
messages it was done to (minimum description length; Rissanen 1978). So a condition that leaves out
a slip costs more than the slip, and one that takes a part of the mail alone costs more than the
one that takes all of it.
"""

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations
from math import log2
from operator import itemgetter
from typing import Protocol

from mnemic.core.fields import BaseCondition
from mnemic.core.proposals.certainty import lower_bound
from mnemic.core.proposals.habits import Habit
from mnemic.core.proposals.message_set import MessageSet, ids_in
from mnemic.core.proposals.traits import Trait
from mnemic.core.sentence import condition_saying

__all__ = ["SUREST", "Learnt", "LearntMail", "learn"]

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

    def holding(self, condition: BaseCondition) -> MessageSet:
        """The messages for which a condition holds, erased ones left out."""

    def since_first_of(self, messages: MessageSet) -> MessageSet:
        """The messages received since the earliest of these, it included."""

    def traits(self, messages: Sequence[int]) -> dict[int, frozenset[Trait]]:
        """By message, the traits of those that are still here."""


@dataclass(frozen=True)
class Learnt:
    """Conditions that together take the mail of a habit.

    ``taken`` is what they take of all mail, ``of`` what of it the owner could have done it with,
    ``did`` what it was done with.
    """

    conditions: tuple[BaseCondition, ...]
    taken: MessageSet
    of: MessageSet
    did: MessageSet

    @property
    def bound(self) -> float:
        """How sure it is that the owner does this with such mail."""
        return lower_bound(self.did.bit_count(), self.of.bit_count())

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


class _Search:
    """Looks for the conditions of one habit."""

    def __init__(self, habit: Habit, mail: LearntMail, check: Callable[[], None]) -> None:
        self._habit, self._mail, self._check = habit, mail, check
        self._chances = mail.since_first_of(habit.did)

    def _learnt(self, conditions: tuple[BaseCondition, ...], taken: MessageSet) -> Learnt:
        return Learnt(conditions, taken, taken & self._chances, taken & self._habit.did)

    def _singles(self, left: MessageSet) -> list[Learnt]:
        singles: dict[MessageSet, Learnt] = {}
        for trait in _telling(self._mail.traits(_spread(left))):
            self._check()
            condition = trait.condition
            if condition is None:
                continue
            single = self._learnt((condition,), self._mail.holding(condition))
            known = singles.get(single.taken)
            if known is None or single.length < known.length:
                singles[single.taken] = single
        return sorted(singles.values(), key=lambda each: -(each.did & left).bit_count())

    def _pairs(self, singles: Sequence[Learnt]) -> Iterator[Learnt]:
        for one, other in combinations(singles[:_MOST_PAIRED], 2):
            taken = one.taken & other.taken
            if taken not in (one.taken, other.taken):
                yield self._learnt((*one.conditions, *other.conditions), taken)

    def _cost(self, learnt: Learnt, left: MessageSet, open_: MessageSet, traits: int) -> float:
        """The length of the description, in bits, of what was done with the mail still open."""
        taken = learnt.taken & open_
        size, marked = taken.bit_count(), (taken & left).bit_count()
        rest, others = open_.bit_count() - size, left.bit_count() - marked
        said = len(learnt.conditions) * log2(max(2, traits))
        return said + _description(size, marked) + _description(rest, others)

    def _is_sure(self, learnt: Learnt) -> bool:
        return learnt.bound >= SUREST and self._habit.is_one_with(learnt.taken)

    def best(self, left: MessageSet, open_: MessageSet) -> Learnt | None:
        """What tells best the messages that are left, of those that are open."""
        singles = self._singles(left)
        sure = [each for each in (*singles, *self._pairs(singles)) if self._is_sure(each)]
        if not sure:
            return None
        costs = [self._cost(each, left, open_, len(singles)) for each in sure]
        cost, _, best = min(
            zip(costs, [each.length for each in sure], sure, strict=True), key=itemgetter(0, 1)
        )
        if cost >= _description(open_.bit_count(), left.bit_count()):
            return None
        return min((each for each in sure if _same(each, best)), key=lambda each: each.length)

    def rules(self) -> Iterator[Learnt]:
        """One after the other, each for what the ones before it leave."""
        left, open_ = self._habit.did, self._chances
        for _ in range(_MOST_RULES):
            best = self.best(left, open_)
            if best is None or not best.did & left:
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
