"""Catch-up: rules applied to mail already received, seen beforehand, a batch at a time.

An index tells which of the mail the rules take (``store.masks``); the core decides, message by
message. What is left to do stands in the database, and is taken off it in the transaction that
does it: a catch-up that is interrupted goes on where it was, and does nothing twice.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

import numpy as np
from pydantic import BaseModel
from sqlmodel import Session

from mnemic.core import CompiledRules, Given, MnemicError, Outcome, Rule, through_rules
from mnemic.jobs.changes import Changes
from mnemic.jobs.circumstances import MailboxCircumstances
from mnemic.jobs.placing import Run, write_trail
from mnemic.jobs.selection import Selection, selected_ids
from mnemic.jobs.weighing import Scale
from mnemic.store.catch_ups import (
    CatchUpJob,
    JobState,
    add_job,
    advance_job,
    end_job,
    get_job,
    next_messages,
)
from mnemic.store.holding import Ids
from mnemic.store.journal import begin_run, fetch, finish_run
from mnemic.store.masks import Masks, Span
from mnemic.store.message_views import StoredMessage, stored_messages
from mnemic.store.rules import StoredRule, list_rules

__all__ = [
    "CatchUpPlan",
    "CatchUpReport",
    "NothingToDoError",
    "RuleShare",
    "finish_catch_up",
    "preview_catch_up",
    "start_catch_up",
    "step_catch_up",
]

#: Messages in one transaction: a fraction of a second, so that arriving mail gets its turn.
_BATCH = 500


class NothingToDoError(MnemicError):
    """A catch-up with rules that are not there (any more)."""


@dataclass(frozen=True, slots=True)
class CatchUpPlan:
    """Which rules to apply, in the order of the line, and to which mail.

    ``since`` and ``until`` bound the time of receipt (seconds since 1970, the latter not
    included). ``respects``: what a person changed after a rule last acted on it is left alone.
    """

    rule_ids: tuple[int, ...]
    which: Selection = field(default_factory=Selection)
    since: int | None = None
    until: int | None = None
    respects: bool = True


class RuleShare(BaseModel):
    """Of a catch-up, how many messages one rule takes, and for how many it is overruled."""

    taken: int = 0
    overruled: int = 0


class CatchUpReport(BaseModel):
    """What a catch-up does: how many messages, by what is done to them, by place and by rule.

    ``unchanged`` were in order already, ``respected`` left alone since a person changed them.
    """

    taken: int = 0
    moved: int = 0
    labelled: int = 0
    marked: int = 0
    unchanged: int = 0
    respected: int = 0
    places: dict[str, int] = {}
    by_rule: dict[int, RuleShare] = {}

    def add(self, changes: Changes) -> None:
        """Count what was gathered of a batch."""
        self.moved += changes.moved
        self.labelled += changes.labelled
        self.marked += changes.marked
        for path, count in changes.places().items():
            self.places[path] = self.places.get(path, 0) + count


class _Applying:
    """Applies rules to messages, some at a time."""

    def __init__(
        self, session: Session, rules: Sequence[StoredRule], *, at: int, respects: bool
    ) -> None:
        self._session, self._at, self._respects = session, at, respects
        #: Asked for by hand, a rule runs whatever it runs on by itself, and though it is off.
        asked = {"enabled": True, "runs": ("hand",)}
        self._rules = [each.rule.model_copy(update=asked) for each in rules]
        self._ids = {position: each.id for position, each in enumerate(rules)}
        self._compiled = CompiledRules(self._rules, "hand")
        self._around = MailboxCircumstances(session, datetime.fromtimestamp(at, UTC))

    def gather(self, ids: Sequence[int], report: CatchUpReport) -> "tuple[Changes, list[_Taken]]":
        """What is to change about messages, counted in the report; nothing is changed yet."""
        changes, taken = Changes(self._session, self._ids), []
        guarded = self._guarded(ids) if self._respects else {}
        for message in stored_messages(self._session, iter(ids)):
            outcome = self._outcome(message, guarded.get(message.id, set()), report)
            if outcome is None:
                continue
            changed = changes.gather(message, outcome)
            report.taken += 1
            report.unchanged += not changed
            if changed:
                taken.append(_Taken(message.id, outcome))
        report.add(changes)
        return changes, taken

    def _outcome(
        self, message: StoredMessage, guarded: set[int], report: CatchUpReport
    ) -> Outcome | None:
        received = message.received or datetime.fromtimestamp(self._at, UTC)
        given = Given(message.state, self._around.of(received, message.id))
        taken_by = self._compiled.decide(message, given).taken_by
        kept_off = {at for at in taken_by if self._ids[at] in guarded}
        if kept_off:
            report.respected += 1
        if not taken_by:
            return None
        outcome = through_rules(self._without(kept_off), message, "hand", given)
        for rule in outcome.takers:
            share = report.by_rule.setdefault(self._ids[rule.position], RuleShare())
            share.taken += 1
            share.overruled += any(each.overruled_by for each in rule.actions)
        return outcome if outcome.taken_by else None

    def _without(self, positions: set[int]) -> list[Rule]:
        off = {"enabled": False}
        return [
            rule.model_copy(update=off) if at in positions else rule
            for at, rule in enumerate(self._rules)
        ]

    def _guarded(self, ids: Sequence[int]) -> dict[int, set[int]]:
        """By message, the rules after whose last act a person changed it; undoing counts not."""
        messages = ", ".join(str(int(each)) for each in ids)
        rules = ", ".join(str(each) for each in self._ids.values())
        rows = fetch(
            self._session,
            "WITH last AS (SELECT message_id, rule_id, max(at) AS at FROM trail"  # noqa: S608 -- numbers
            f" WHERE message_id IN ({messages}) AND rule_id IN ({rules})"
            " GROUP BY message_id, rule_id)"
            " SELECT message_id, rule_id FROM last WHERE EXISTS (SELECT 1 FROM journal AS j"
            " JOIN run AS r ON r.id = j.run_id WHERE j.entity = 'message'"
            " AND j.entity_id = last.message_id AND j.slot <> 'seen' AND r.actor = 'person'"
            " AND r.undoes IS NULL AND r.undone_by IS NULL AND r.at >= last.at)",
        )
        found: dict[int, set[int]] = {}
        for message_id, rule_id in rows:
            found.setdefault(message_id, set()).add(rule_id)
        return found

    def write_trail(self, taken: "Sequence[_Taken]") -> None:
        """Write down what was done to each message, and why."""
        run = Run("hand", self._at, self._ids)
        for each in taken:
            write_trail(self._session, each.message_id, each.outcome, run)


@dataclass(frozen=True, slots=True)
class _Taken:
    message_id: int
    outcome: Outcome


def _rules_of(session: Session, rule_ids: Sequence[int]) -> list[StoredRule]:
    wanted = set(rule_ids)
    return [each for each in list_rules(session) if each.id in wanted]


def _asked(session: Session, plan: CatchUpPlan, masks: Masks) -> Ids:
    """The messages that a plan is about."""
    span = Span(0, masks.top)
    there = masks.there(span).copy()
    if plan.which != Selection():
        chosen = np.zeros(masks.top + 1, np.bool_)
        chosen[[each for each in selected_ids(session, plan.which) if each <= masks.top]] = True
        there &= chosen[1:]
    if plan.since is not None:
        there &= masks.where("m.received_at >= :since", span, since=plan.since)
    if plan.until is not None:
        there &= masks.where("m.received_at < :until", span, until=plan.until)
    return np.flatnonzero(there) + 1


def _candidates(
    session: Session, plan: CatchUpPlan, now: datetime
) -> tuple[list[StoredRule], int, list[int]]:
    """The rules, how many messages are asked about, and those that one of the rules takes."""
    rules = _rules_of(session, plan.rule_ids)
    if not rules:
        raise NothingToDoError("the rules are not here any more; look at the line again")
    masks = Masks(session, MailboxCircumstances(session, now).of(now))
    asked = _asked(session, plan, masks)
    span = Span(0, masks.top)
    scale = Scale(masks.top, lambda condition: masks.of(condition, span))
    taken = np.zeros(masks.top, np.bool_)
    for each in rules:
        taken |= scale.takes(each.rule)
    return rules, asked.size, asked[taken[asked - 1]][::-1].tolist()


def _batches(ids: Sequence[int]) -> Iterator[Sequence[int]]:
    for at in range(0, len(ids), _BATCH):
        yield ids[at : at + _BATCH]


def preview_catch_up(
    session: Session, plan: CatchUpPlan, *, now: datetime
) -> tuple[int, CatchUpReport]:
    """How many messages are asked about, and exactly what would happen; nothing happens.

    Raises NothingToDoError where none of the rules is there.
    """
    rules, examined, ids = _candidates(session, plan, now)
    at = int(now.timestamp())
    applying, report = _Applying(session, rules, at=at, respects=plan.respects), CatchUpReport()
    for batch in _batches(ids):
        applying.gather(batch, report)
    return examined, report


def start_catch_up(session: Session, plan: CatchUpPlan, *, now: datetime) -> CatchUpJob:
    """Write down what is to be done; it is done by ``step_catch_up``.

    Raises NothingToDoError where none of the rules is there.
    """
    rules, examined, ids = _candidates(session, plan, now)
    at = int(now.timestamp())
    named = f"“{rules[0].rule.name}”" if len(rules) == 1 else f"{len(rules)} rules"
    saying = f"Catch-up with {named}"
    only = rules[0].id if len(rules) == 1 else None
    run_id = begin_run(session, at=at, actor="rules", saying=saying, rule_id=only)
    job = CatchUpJob(
        id=0,
        at=at,
        state="waiting",
        saying=saying,
        rule_ids=tuple(each.id for each in rules),
        respects=plan.respects,
        examined=examined,
        total=len(ids),
        done=0,
        report=CatchUpReport().model_dump_json(),
        run_id=run_id,
    )
    return add_job(session, job, ids)


def step_catch_up(session: Session, job_id: int) -> bool:
    """Do the next batch of a catch-up, in the transaction of its caller; whether more is left.

    Nothing goes outside for mail that came in long ago: no forward, no reply, no sound.
    """
    job = get_job(session, job_id)
    if job is None or job.state in ("done", "stopped"):
        return False
    ids = next_messages(session, job_id, _BATCH)
    rules = _rules_of(session, job.rule_ids)
    if not ids or not rules:
        finish_catch_up(session, job_id, "done")
        return False
    report = CatchUpReport.model_validate_json(job.report)
    applying = _Applying(session, rules, at=job.at, respects=job.respects)
    changes, taken = applying.gather(ids, report)
    if job.run_id is not None:
        changes.make(job.run_id, at=job.at)
    applying.write_trail(taken)
    advance_job(session, job_id, ids, report.model_dump_json())
    if len(ids) < _BATCH:
        finish_catch_up(session, job_id, "done")
        return False
    return True


def finish_catch_up(session: Session, job_id: int, state: JobState) -> None:
    """End a catch-up, done or stopped half way; what was done can be undone."""
    job = get_job(session, job_id)
    if job is None or job.state in ("done", "stopped"):
        return
    end_job(session, job_id, state)
    if job.run_id is not None:
        saying = job.saying if state == "done" else f"{job.saying}, stopped half way"
        finish_run(session, job.run_id, saying)
