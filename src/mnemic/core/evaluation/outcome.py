"""What rules make of one message (rule document, "One message through the rules").

Pure: the same message, rules, state and circumstances give the same outcome, always.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from mnemic.core.actions.decision import Decision, Place
from mnemic.core.canonical import canonical_address
from mnemic.core.evaluation.acting import ActionTrail, act
from mnemic.core.evaluation.matching import TestTrail, try_test
from mnemic.core.fields import NOTHING_GIVEN, Given
from mnemic.core.message import MessageView, Priority
from mnemic.core.message.parsing import parse_message
from mnemic.core.rules import Event, Rule

__all__ = [
    "ActedRule",
    "ActionTrail",
    "Outcome",
    "Place",
    "RuleTrail",
    "acted_rules",
    "applies",
    "outcome_of",
    "take",
    "through_rules",
]


@dataclass(frozen=True, slots=True)
class RuleTrail:
    """One rule that was tried: its place in the line, whether it took the message, and why.

    ``active`` is the answer of the days that the rule is for, None where it has none.
    """

    position: int
    name: str
    took: bool
    when: TestTrail
    unless: TestTrail | None
    active: TestTrail | None = None
    actions: tuple[ActionTrail, ...] = ()


class ActedRule(NamedTuple):
    """A rule that took a message: its place in the line, and what became of its actions."""

    position: int
    name: str
    actions: tuple[ActionTrail, ...]


class Outcome(NamedTuple):
    """What is to happen to the message; None means "not set".

    ``taken_by`` are the places in the line of the rules that took it, ``rules`` their names.
    ``place`` is None where nothing sets it on another event than arrival: the message stays.
    ``trail`` is empty where it was not asked for. (A tuple, since one is made for each message.)
    """

    taken_by: tuple[int, ...]
    rules: tuple[str, ...]
    place: Place | None
    folder: str | None
    copies: tuple[str, ...]
    labels: tuple[str, ...]
    unlabels: tuple[str, ...]
    seen: bool | None
    flagged: bool | None
    colour: str | None
    priority: Priority | None
    forward: tuple[str, ...]
    reply: bool
    notify: tuple[str, ...]
    stopped_by: str | None
    trail: tuple[RuleTrail, ...] = ()

    @property
    def takers(self) -> tuple[RuleTrail, ...]:
        """The trails of the rules that took the message, in order."""
        return tuple(rule for rule in self.trail if rule.took)


def applies(rule: Rule, event: Event, account: str | None) -> bool:
    """Whether a rule is on, runs on the event, and is for the account."""
    if not rule.enabled or event not in rule.runs:
        return False
    if not rule.accounts:
        return True
    mine = None if account is None else canonical_address(account)
    return mine in {canonical_address(address) for address in rule.accounts}


def take(
    rule: Rule, message: MessageView, given: Given | None = None, position: int = 0
) -> RuleTrail:
    """Whether one rule takes a message, and why; what it would do is not decided here."""
    when = try_test(rule.when, message, given)
    unless = None if rule.unless is None else try_test(rule.unless, message, given)
    active = None if rule.days is None else try_test(rule.days, message, given)
    took = (
        when.held and not (unless is not None and unless.held) and (active is None or active.held)
    )
    return RuleTrail(position, rule.name, took, when, unless, active)


def outcome_of(
    decision: Decision,
    taken: Sequence[tuple[int, Rule]],
    event: Event,
    trail: tuple[RuleTrail, ...] = (),
) -> Outcome:
    """The outcome of a decision that the rules ``taken`` have come to."""
    place = decision.place
    if event == "arrival":
        place = place or "inbox"
    elif place == "inbox":  # to keep a message is to leave it where it is
        place = None
    last = taken[-1][1] if taken else None
    return Outcome(
        tuple([position for position, _ in taken]),
        tuple([rule.name for _, rule in taken]),
        place,
        decision.folder,
        tuple(decision.copies),
        tuple(decision.labels),
        tuple(decision.unlabels),
        decision.seen,
        decision.flagged,
        decision.colour,
        decision.priority,
        tuple(decision.forward),
        decision.reply,
        tuple(decision.notify),
        last.name if last is not None and last.stop else None,
        trail,
    )


_SAYS_NOTHING = parse_message(b"")


def acted_rules(taken: Sequence[tuple[int, Rule]]) -> tuple[ActedRule, ...]:
    """What the actions come to of rules, with their places, that take a message which says nothing.

    Which of them overrules which is the same for every message that just these rules take; whether
    a reply or a forward is held back is not.
    """
    decision = Decision(_SAYS_NOTHING, NOTHING_GIVEN)
    return tuple(
        ActedRule(position, rule.name, act(decision, rule.name, rule.then))
        for position, rule in taken
    )


def through_rules(
    rules: Sequence[Rule],
    message: MessageView,
    event: Event = "arrival",
    given: Given | None = None,
) -> Outcome:
    """Send one message through the rules, from top to bottom, with the full trail.

    All conditions look at the message as it was when the run began, never at what an earlier rule
    did.
    """
    given = given or NOTHING_GIVEN
    decision, trail, taken = Decision(message, given), [], []
    for position, rule in enumerate(rules):
        if not applies(rule, event, given.state.account):
            continue
        tried = take(rule, message, given, position)
        if tried.took:
            taken.append((position, rule))
            tried = replace(tried, actions=act(decision, rule.name, rule.then))
        trail.append(tried)
        if tried.took and rule.stop:
            break
    return outcome_of(decision, taken, event, tuple(trail))
