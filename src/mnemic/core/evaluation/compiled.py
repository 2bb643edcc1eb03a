"""Many rules, indexed: the cost of a message grows far slower than the number of rules.

For each rule a *witness* is chosen: a set of conditions of which one at least has to hold where
the rule takes a message. Witnesses are indexed by what they look for: addresses and domains by
hash, all phrases of a channel in one pass of an Aho-Corasick automaton, patterns in one RE2 set.
A message touches the rules of the witnesses that hold, and those few are tried in order; rules
without a witness (negations, dates …) are always tried.

The answer equals ``outcome.through_rules``, which stays the reference; a property test holds the
two equal. The compiled path gives the trail of those rules
alone that took the message.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from functools import partial
from operator import is_not
from typing import TypeAlias, assert_never

from mnemic.core.actions.decision import Decision
from mnemic.core.evaluation.acting import act, act_silently
from mnemic.core.evaluation.outcome import Outcome, applies, outcome_of, take
from mnemic.core.evaluation.phrase_index import ChannelIndex
from mnemic.core.fields import NOTHING_GIVEN, BaseCondition, Given
from mnemic.core.fields.text_condition import TextTestCondition
from mnemic.core.message import MessageView
from mnemic.core.message.parsing import parse_message
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, Event, NotGroup, Rule

__all__ = ["CompiledRules", "compiled_line"]

#: How rarely a condition of each test holds, as a rough cost: of the conditions of an `all`, the
#: one least likely to hold is the best witness.
_COSTS = {"is": 1.0, "under": 2.0, "begins": 4.0, "ends": 4.0, "words": 6.0, "contains": 7.0}
_PATTERN_COST = 60.0
_SHORT_PHRASE = 4  # letters; shorter ones hold in a large part of all texts

Answer: TypeAlias = Callable[["_Hits"], bool]


def _cost(condition: TextTestCondition) -> float:
    cost = _COSTS.get(condition.test, _PATTERN_COST)
    shortest = min(map(len, condition.comparable_values))
    return cost + (40.0 if cost > 2.0 and shortest < _SHORT_PHRASE else 0.0)


def _witness(test: AnyTest) -> tuple[float, frozenset[TextTestCondition]] | None:
    """Conditions of which one has to hold where ``test`` does, with their cost; None: no such."""
    match test:
        case AllGroup():
            witnesses = [witness for witness in map(_witness, test.tests) if witness is not None]
            return min(witnesses, key=lambda witness: witness[0]) if witnesses else None
        case AnyGroup():
            every = [_witness(inner) for inner in test.tests]
            known = [witness for witness in every if witness is not None]
            if len(known) < len(every):
                return None
            return sum(cost for cost, _ in known), frozenset().union(
                *(conditions for _, conditions in known)
            )
        case TextTestCondition() if not test.asks_presence:
            return _cost(test), frozenset([test])
        case NotGroup() | Always() | BaseCondition():
            return None
        case _:
            assert_never(test)


def _follows(test: AnyTest) -> bool:
    """Whether ``test`` holds as soon as one of its witnesses does."""
    match test:
        case AllGroup():
            return len(test.tests) == 1 and _follows(test.tests[0])
        case AnyGroup():
            return all(map(_follows, test.tests))
        case NotGroup() | Always() | BaseCondition():
            return _witness(test) is not None
        case _:
            assert_never(test)


class _Hits:
    """What is known of one message's conditions: those found by the index, and those tried."""

    __slots__ = ("given", "held", "indexed", "message", "tried")

    def __init__(
        self, message: MessageView, given: Given, indexed: frozenset[int], held: set[int]
    ) -> None:
        self.message, self.given, self.indexed, self.held = message, given, indexed, held
        self.tried: dict[int, bool] = {}


def compiled_line(rules: Sequence[Rule], event: Event) -> "CompiledRules":
    """Rules made ready for one event; made once as long as the same line is asked for."""
    known = _LINES.get(event)
    if known is None or len(known[0]) != len(rules) or any(map(is_not, known[0], rules)):
        known = _LINES[event] = (tuple(rules), CompiledRules(rules, event))
    return known[1]


#: The line that was asked for last, by event. Rules are told apart by being the same objects:
#: to compare what they say would cost more than to sort a message.
_LINES: dict[Event, tuple[tuple[Rule, ...], "CompiledRules"]] = {}


def _answer_condition(number: int, condition: BaseCondition, hits: _Hits) -> bool:
    if number in hits.held:
        return True
    if number in hits.indexed:
        return False
    known = hits.tried.get(number)
    if known is None:
        known = hits.tried[number] = condition.holds(hits.message, hits.given)
    return known


def _answer_all(answers: tuple[Answer, ...], hits: _Hits) -> bool:
    for answer in answers:  # noqa: SIM110 -- a loop costs a third of all() over a generator
        if not answer(hits):
            return False
    return True


def _answer_any(answers: tuple[Answer, ...], hits: _Hits) -> bool:
    for answer in answers:  # noqa: SIM110 -- as above
        if answer(hits):
            return True
    return False


class CompiledRules:
    """Rules made ready for one event; ``decide`` sends messages through them."""

    def __init__(self, rules: Sequence[Rule], event: Event = "arrival") -> None:
        self._event: Event = event
        self._rules = tuple(rules)
        self._numbers: dict[BaseCondition, int] = {}
        self._touches: list[list[int]] = []  # by condition: the rules it is a witness of
        self._always: list[int] = []
        self._sure: set[int] = set()  # rules that take whatever touches them
        self._answers: dict[int, Answer] = {}
        self._index: dict[object, ChannelIndex] = {}
        indexed: set[int] = set()
        for position, rule in enumerate(rules):
            if rule.enabled and event in rule.runs:
                indexed |= self._add(position, rule)
        self._indexed = frozenset(indexed)
        self._finders = [index.build() for index in self._index.values()]
        # What becomes of a message that no rule takes is the same for every message.
        nothing = Decision(parse_message(b""), NOTHING_GIVEN)
        self._untouched = outcome_of(nothing, [], event)

    def _number(self, condition: BaseCondition) -> int:
        number = self._numbers.setdefault(condition, len(self._numbers))
        if number == len(self._touches):
            self._touches.append([])
        return number

    def _add(self, position: int, rule: Rule) -> set[int]:
        when = self._answer(rule.when)
        if rule.days is not None:
            when = partial(_answer_all, (when, self._answer(rule.days)))
        if rule.unless is None:
            self._answers[position] = when
        else:
            unless = self._answer(rule.unless)
            self._answers[position] = lambda hits: when(hits) and not unless(hits)
        witness = _witness(rule.when)
        if witness is None:
            self._always.append(position)
            return set()
        if rule.unless is None and rule.days is None and _follows(rule.when):
            self._sure.add(position)
        numbers = set()
        for condition in witness[1]:
            number = self._number(condition)
            if not self._touches[number]:
                for channel in condition.channels:
                    index = self._index.setdefault(channel, ChannelIndex(channel))
                    index.add(number, condition)
            self._touches[number].append(position)
            numbers.add(number)
        return numbers

    def _answer(self, test: AnyTest) -> Answer:
        match test:
            case AllGroup():
                return partial(_answer_all, tuple(map(self._answer, test.tests)))
            case AnyGroup():
                return partial(_answer_any, tuple(map(self._answer, test.tests)))
            case NotGroup():
                turned = self._answer(test.not_)
                return lambda hits: not turned(hits)
            case Always():
                return lambda hits: True  # noqa: ARG005 -- an answer like the others
            case BaseCondition():
                return partial(_answer_condition, self._number(test), test)
            case _:
                assert_never(test)

    def _touched(self, held: Iterable[int]) -> list[int]:
        touches = self._touches
        touched = [position for number in held for position in touches[number]]
        touched += self._always
        return sorted(set(touched))

    def _taken(self, message: MessageView, given: Given) -> list[tuple[int, Rule]]:
        """The rules that take a message, with their places in the line."""
        held: set[int] = set()
        for find in self._finders:
            find(message, held)
        if not held and not self._always:
            return []
        hits = _Hits(message, given, self._indexed, held)
        taken = []
        for position in self._touched(held):
            if position not in self._sure and not self._answers[position](hits):
                continue
            rule = self._rules[position]
            if rule.accounts and not applies(rule, self._event, given.state.account):
                continue
            taken.append((position, rule))
            if rule.stop:
                break
        return taken

    def decide(self, message: MessageView, given: Given | None = None) -> Outcome:
        """What the rules make of one message, without the trail."""
        given = given or NOTHING_GIVEN
        taken = self._taken(message, given)
        if not taken:
            return self._untouched
        decision = Decision(message, given)
        for _, rule in taken:
            act_silently(decision, rule.name, rule.then)
        return outcome_of(decision, taken, self._event)

    def explain(self, message: MessageView, given: Given | None = None) -> Outcome:
        """The same, with the trail of the rules that take it; of the others nothing is said."""
        given = given or NOTHING_GIVEN
        taken = self._taken(message, given)
        if not taken:
            return self._untouched
        decision = Decision(message, given)
        trail = tuple(
            replace(
                take(rule, message, given, position), actions=act(decision, rule.name, rule.then)
            )
            for position, rule in taken
        )
        return outcome_of(decision, taken, self._event, trail)
