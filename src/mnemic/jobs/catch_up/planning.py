"""Which rules a catch-up applies to which mail: found by an index, before anything happens."""

import json
from dataclasses import dataclass, field
from datetime import datetime

import numpy as np
from sqlmodel import Session

from mnemic.core import MnemicError
from mnemic.jobs.catch_up.passing import ActingRules
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.misses import Misses
from mnemic.store.conditions_sql.ids import spans
from mnemic.store.line.rules import StoredRule, list_rules
from mnemic.store.mail.folders import Role, folders_with_role
from mnemic.store.search.masks import IdRange, Mask, Masks
from mnemic.store.search.selection import Selection, selected_ids

__all__ = [
    "CatchUpPlan",
    "NothingToDoError",
    "PassedLine",
    "PreparedCatchUp",
    "asked_about",
    "in_usual_folders",
    "passed_line",
    "prepare_catch_up",
]

#: Folders in which nobody expects rules for incoming mail to act.
_LEFT_OUT: tuple[Role, ...] = ("sent", "junk", "trash")


class NothingToDoError(MnemicError):
    """A catch-up with rules that are not there (any more)."""


@dataclass(frozen=True, slots=True)
class CatchUpPlan:
    """Which rules to apply, in the order of the line, and to which mail.

    ``since`` and ``until`` bound the time of receipt (seconds since 1970, the latter not
    included). Where no mail is named it is all of it but Sent, Junk and Trash, or, ``everywhere``,
    these too. ``respects``: what a person changed after a rule last acted on it is left alone.
    ``takes_left``: also what a rule above, that is not one of these, places or stops.
    """

    rule_ids: tuple[int, ...]
    which: Selection = field(default_factory=Selection)
    since: int | None = None
    until: int | None = None
    everywhere: bool = False
    respects: bool = True
    takes_left: bool = False


@dataclass(frozen=True, slots=True)
class PassedLine:
    """The rules that mail passes in a catch-up, in order, and the ids of those of the plan."""

    rules: tuple[StoredRule, ...]
    chosen: frozenset[int]

    @property
    def acting(self) -> tuple[StoredRule, ...]:
        """The rules of the plan: only what they do is made."""
        return tuple(stored for stored in self.rules if stored.id in self.chosen)

    @property
    def acting_rules(self) -> ActingRules:
        """The rules as they are applied."""
        documents = [stored.rule.model_dump(mode="json", by_alias=True) for stored in self.rules]
        return ActingRules(
            json.dumps(documents),
            tuple(stored.id for stored in self.rules),
            tuple(stored.id for stored in self.acting),
        )


@dataclass(frozen=True, slots=True)
class PreparedCatchUp:
    """A plan, looked at: how many messages it is about, and which its rules take, newest first."""

    line: PassedLine
    examined: int
    ids: tuple[int, ...]
    respects: bool


def passed_line(session: Session, plan: CatchUpPlan) -> PassedLine:
    """The rules that mail passes in a catch-up.

    Raises NothingToDoError where none of the plan's rules is there.
    """
    chosen = frozenset(plan.rule_ids)

    def is_passed(stored: StoredRule) -> bool:
        passed = stored.rule.enabled and "arrival" in stored.rule.runs
        return stored.id in chosen or (passed and not plan.takes_left)

    line = PassedLine(tuple(filter(is_passed, list_rules(session))), chosen)
    if not line.acting:
        raise NothingToDoError("the rules are not here any more; look at the line again")
    return line


def in_usual_folders(session: Session, masks: Masks, id_range: IdRange) -> Mask:
    """The messages that a catch-up is about where nothing is said: not sent, junk or trashed."""

    def find() -> Mask:
        left_out = [key for role in _LEFT_OUT for key in folders_with_role(session, role)]
        there = masks.there(IdRange(0, masks.top))
        return np.asarray(there & ~np.isin(masks.folder_of[1:], left_out))

    usual: Mask = masks.remembered("in usual folders", find)[id_range.low : id_range.high]
    return usual


def asked_about(session: Session, plan: CatchUpPlan, masks: Masks) -> Mask:
    """The messages that a plan is about, of all there are."""
    id_range = IdRange(0, masks.top)
    there = masks.there(id_range).copy()
    if plan.which != Selection():
        chosen = np.zeros(masks.top + 1, np.bool_)
        chosen[
            [
                message_id
                for message_id in selected_ids(session, plan.which)
                if message_id <= masks.top
            ]
        ] = True
        there &= chosen[1:]
    elif not plan.everywhere:
        there &= in_usual_folders(session, masks, id_range)
    if plan.since is not None:
        there &= masks.received_since(plan.since, id_range)
    if plan.until is not None:
        there &= masks.received_before(plan.until, id_range)
    return there


def prepare_catch_up(session: Session, plan: CatchUpPlan, *, now: datetime) -> PreparedCatchUp:
    """Find the messages that a plan is about; it takes a while, and nothing is written.

    Raises NothingToDoError where none of the rules is there.
    """
    line = passed_line(session, plan)
    masks = Masks(session, MailboxCircumstances(session, now).of(now))
    asked, ids = asked_about(session, plan, masks), []
    for id_range in spans(masks.top):
        taken = np.zeros(id_range.size, np.bool_)
        for stored in line.acting:
            taken |= Misses.within(masks, id_range).takes(stored.rule)
        taken &= asked[id_range.low : id_range.high]
        ids += (np.flatnonzero(taken)[::-1] + id_range.low + 1).tolist()
    return PreparedCatchUp(line, int(asked.sum()), tuple(ids), plan.respects)
