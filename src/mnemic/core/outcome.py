"""What rules make of one message: the outcome and its trail (rule document, "One message
through the rules"). Pure: the same message, rules and circumstances give the same outcome.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal, TypeAlias

from mnemic.core.actions import Action, FileAction, KeepAction, LabelAction
from mnemic.core.matching import TestTrail, try_test
from mnemic.core.message import MessageView
from mnemic.core.rules import Event, Rule

__all__ = ["ActionTrail", "Outcome", "Place", "RuleTrail", "take", "through_rules"]

Place: TypeAlias = Literal["inbox", "folder"]


@dataclass(frozen=True, slots=True)
class ActionTrail:
    """An action of a rule that took the message, and the name of the rule that overruled it."""

    action: Action
    overruled_by: str | None = None


@dataclass(frozen=True, slots=True)
class RuleTrail:
    """One rule that was tried: its place in the line, whether it took the message, and why."""

    position: int
    name: str
    took: bool
    when: TestTrail
    unless: TestTrail | None
    actions: tuple[ActionTrail, ...] = ()


@dataclass(frozen=True, slots=True)
class Outcome:
    """What is to happen to the message; None means "not set".

    ``place`` is None where nothing sets it on another event than arrival: the message stays.
    """

    place: Place | None
    folder: str | None
    labels: tuple[str, ...]
    stopped_by: str | None
    trail: tuple[RuleTrail, ...] = field(repr=False)

    @property
    def taken_by(self) -> tuple[RuleTrail, ...]:
        """The rules that took the message, in order."""
        return tuple(rule for rule in self.trail if rule.took)


def _applies(rule: Rule, event: Event, account: str | None) -> bool:
    if not rule.enabled or event not in rule.runs:
        return False
    return not rule.accounts or (
        account is not None and account.casefold() in {each.casefold() for each in rule.accounts}
    )


def take(rule: Rule, message: MessageView, position: int = 0) -> RuleTrail:
    """Whether one rule takes a message, and why; what it would do is not decided here."""
    when = try_test(rule.when, message)
    unless = None if rule.unless is None else try_test(rule.unless, message)
    took = when.held and not (unless is not None and unless.held)
    return RuleTrail(position, rule.name, took, when, unless)


class _Decision:
    """Collects actions rule by rule; the first to set a slot or to touch a label wins."""

    def __init__(self) -> None:
        self._winners: dict[tuple[str, str], str] = {}
        self.place: Place | None = None
        self.folder: str | None = None
        self.labels: list[str] = []

    def act(self, rule: Rule) -> tuple[ActionTrail, ...]:
        return tuple(self._one(action, rule) for action in rule.then)

    def _one(self, action: Action, rule: Rule) -> ActionTrail:
        match action:
            case LabelAction(label=label):
                key = ("label", label.casefold())
            case FileAction() | KeepAction():
                key = ("slot", "place")
        if key in self._winners:
            return ActionTrail(action, overruled_by=self._winners[key])
        self._winners[key] = rule.name
        match action:
            case LabelAction(label=label):
                self.labels.append(label)
            case FileAction(folder=folder):
                self.place, self.folder = "folder", folder
            case KeepAction():
                self.place = "inbox"
        return ActionTrail(action)


def through_rules(
    rules: Sequence[Rule],
    message: MessageView,
    event: Event = "arrival",
    account: str | None = None,
) -> Outcome:
    """Send one message through the rules, from top to bottom.

    All conditions look at the message as it was when the run began. ``account`` is the address
    of the account the message came to.
    """
    decision, trail, stopped_by = _Decision(), [], None
    for position, rule in enumerate(rules):
        if not _applies(rule, event, account):
            continue
        tried = take(rule, message, position)
        if tried.took:
            tried = RuleTrail(
                position, rule.name, True, tried.when, tried.unless, decision.act(rule)
            )
        trail.append(tried)
        if tried.took and rule.stop:
            stopped_by = rule.name
            break
    place = decision.place
    if place is None and event == "arrival":
        place = "inbox"
    return Outcome(place, decision.folder, tuple(decision.labels), stopped_by, tuple(trail))
