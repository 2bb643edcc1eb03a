"""Proposals: rules that would do what the owner does by hand, the surest first."""

import json
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, TypeAlias

from mnemic.core.actions import Action
from mnemic.core.bounds import MOST_NAME
from mnemic.core.fields import BaseCondition
from mnemic.core.proposals.certainty import CountedMail
from mnemic.core.proposals.habits import Habit
from mnemic.core.proposals.learning import LearntMail, learn, make_ready
from mnemic.core.proposals.message_set import MessageSet
from mnemic.core.rules import AllGroup, AnyTest, Rule
from mnemic.core.rules.sentence import sentence_of

__all__ = [
    "Proposal",
    "StandingRule",
    "Why",
    "is_contradicted",
    "propose",
    "proposed_rule",
    "surest_first",
]

Why: TypeAlias = Literal["by hand", "waits"]

#: A rule of the line that takes more of a proposal's mail than this has said what happens to it.
_CONTRADICTS = 0.5


@dataclass(frozen=True)
class StandingRule:
    """A rule of the line that is on. What it ``takes`` is asked of the mail when it matters."""

    rule: Rule
    takes: Callable[[], MessageSet]

    @cached_property
    def taken(self) -> MessageSet:
        """The messages that it takes."""
        return self.takes()


@dataclass(frozen=True)
class Proposal:
    """A rule, and on what evidence it is proposed.

    For mail that waits, what was done is that it was read within a day, of all that lies in the
    inbox.
    """

    rule: Rule
    why: Why
    counted: CountedMail

    @property
    def key(self) -> str:
        """What tells it from other proposals: its conditions and what it does."""
        said = self.rule.model_dump(mode="json", by_alias=True, include={"when", "then"})
        return json.dumps(said, sort_keys=True)

    @property
    def sentence(self) -> str:
        """The rule in words."""
        return sentence_of(self.rule)


def surest_first(proposals: Iterable[Proposal]) -> list[Proposal]:
    """Proposals ordered by how sure they are, then by how often it was done."""
    return sorted(
        proposals, key=lambda p: (-p.counted.bound, -p.counted.did.bit_count(), p.sentence)
    )


def _name(conditions: Sequence[BaseCondition]) -> str:
    """A name from the values: ``Rota, to volunteers@trust.example``."""
    values = [str(value) for condition in conditions for value in condition.values or ()]
    name = ", ".join(value.replace("_", " ") for value in values)[:MOST_NAME].strip()
    return name[:1].upper() + name[1:]


def proposed_rule(conditions: Sequence[BaseCondition], action: Action) -> Rule:
    """The rule that does this with mail for which all conditions hold."""
    when: AnyTest = conditions[0] if len(conditions) == 1 else AllGroup(all=tuple(conditions))
    return Rule(name=_name(conditions), when=when, then=(action,))


def is_contradicted(action: Action, taken: MessageSet, line: Sequence[StandingRule]) -> bool:
    """Whether a rule does this already with that mail, or sets the same slot otherwise."""
    if action.claim is None:
        return False
    most = taken.bit_count() * _CONTRADICTS
    return any(
        any(done.claim == action.claim for done in standing.rule.then)
        and (standing.taken & taken).bit_count() > most
        for standing in line
    )


def propose(
    habits: Iterable[Habit],
    mail: LearntMail,
    line: Sequence[StandingRule],
    check: Callable[[], None] = lambda: None,
) -> list[Proposal]:
    """Rules that do what the owner does by hand, and that no rule of the line does or contradicts.

    ``check`` is called now and then; what it raises ends the work.
    """
    habits = list(habits)
    make_ready(habits, mail)
    return surest_first(
        Proposal(
            proposed_rule(learnt.conditions, habit.action),
            "by hand",
            learnt.counted,
        )
        for habit in habits
        for learnt in learn(habit, mail, check)
        if not is_contradicted(habit.action, learnt.taken, line)
    )
