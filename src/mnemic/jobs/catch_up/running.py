"""Catch-up: rules applied to mail already received, seen beforehand, a batch at a time.

An index tells which of the mail the rules take (``store.search.masks``); the core decides,
message by message. What is left to do stands in the database, and is taken off it in the
transaction that does it: a catch-up that is interrupted goes on where it was, and does nothing
twice.
"""

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime

import numpy as np
from sqlmodel import Session

from mnemic.core import Event, MnemicError
from mnemic.jobs.catch_up.passing import ActingRules, Applying, CatchUpReport
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.large_moves import LargeMove, question_about
from mnemic.jobs.shared.misses import Misses
from mnemic.store.conditions_sql.ids import Ids
from mnemic.store.journal.runs import begin_run, finish_run
from mnemic.store.line.catch_ups import (
    CatchUpJob,
    JobState,
    add_job,
    advance_job,
    end_job,
    get_job,
    jobs_to_do,
    next_messages,
)
from mnemic.store.line.rules import StoredRule, list_rules
from mnemic.store.mail.folders import Role, folder_at, folder_with_role
from mnemic.store.mail.listing import count_messages
from mnemic.store.search.masks import IdRange, Mask, Masks
from mnemic.store.search.selection import Selection, selected_ids

__all__ = [
    "CatchUpPlan",
    "NothingToDoError",
    "PreparedCatchUp",
    "finish_catch_up",
    "in_usual_folders",
    "prepare_catch_up",
    "preview_catch_up",
    "question_before",
    "start_catch_up",
    "step_catch_up",
    "stop_run",
]

#: Folders in which nobody expects rules for incoming mail to act.
_LEFT_OUT: tuple[Role, ...] = ("sent", "junk", "trash")

#: Messages in one transaction: a fraction of a second, so that arriving mail gets its turn.
_BATCH = 500


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
class PreparedCatchUp:
    """A plan, looked at: its rules, how many messages are asked about, and which the rules take.

    ``line`` are the rules that mail passes, those of the plan among them.
    """

    rules: tuple[StoredRule, ...]
    line: tuple[StoredRule, ...]
    examined: int
    ids: tuple[int, ...]
    respects: bool

    @property
    def acting_rules(self) -> ActingRules:
        """The rules as they are applied."""
        documents = [stored.rule.model_dump(mode="json", by_alias=True) for stored in self.line]
        return ActingRules(
            json.dumps(documents),
            tuple(stored.id for stored in self.line),
            tuple(rule.id for rule in self.rules),
        )


def _rules_of(session: Session, plan: CatchUpPlan) -> Iterator[tuple[StoredRule, bool]]:
    """The rules that mail passes, and whether each is one of the plan."""
    chosen = set(plan.rule_ids)
    for stored in list_rules(session):
        passed = stored.rule.enabled and "arrival" in stored.rule.runs and not plan.takes_left
        if passed or stored.id in chosen:
            yield stored, stored.id in chosen


def in_usual_folders(session: Session, masks: Masks, id_range: IdRange) -> Mask:
    """The messages that a catch-up is about where nothing is said: not sent, junk or trashed."""

    def find() -> Mask:
        left_out = [folder_with_role(session, role) for role in _LEFT_OUT]
        there = masks.there(IdRange(0, masks.top))
        return np.asarray(there & ~np.isin(masks.folder_of[1:], left_out))

    usual: Mask = masks.remembered("in usual folders", find)[id_range.low : id_range.high]
    return usual


def _asked(session: Session, plan: CatchUpPlan, masks: Masks) -> Ids:
    """The messages that a plan is about."""
    id_range = IdRange(0, masks.top)
    there = masks.there(id_range).copy()
    if plan.which != Selection():
        chosen = np.zeros(masks.top + 1, np.bool_)
        chosen[[each for each in selected_ids(session, plan.which) if each <= masks.top]] = True
        there &= chosen[1:]
    elif not plan.everywhere:
        there &= in_usual_folders(session, masks, id_range)
    if plan.since is not None:
        there &= masks.received_since(plan.since, id_range)
    if plan.until is not None:
        there &= masks.received_before(plan.until, id_range)
    return np.flatnonzero(there) + 1


def prepare_catch_up(session: Session, plan: CatchUpPlan, *, now: datetime) -> PreparedCatchUp:
    """Find the messages that a plan is about; it takes a while, and nothing is written.

    Raises NothingToDoError where none of the rules is there.
    """
    line = tuple(_rules_of(session, plan))
    rules = [each for each, chosen in line if chosen]
    if not rules:
        raise NothingToDoError("the rules are not here any more; look at the line again")
    masks = Masks(session, MailboxCircumstances(session, now).of(now))
    asked = _asked(session, plan, masks)
    id_range = IdRange(0, masks.top)
    misses = Misses(masks.top, lambda condition: masks.of(condition, id_range))
    taken = np.zeros(masks.top, np.bool_)
    for stored in rules:
        taken |= misses.takes(stored.rule)
    ids = tuple(asked[taken[asked - 1]][::-1].tolist())
    passed = tuple(each for each, _ in line)
    return PreparedCatchUp(tuple(rules), passed, asked.size, ids, plan.respects)


def _batches(ids: Sequence[int]) -> Iterator[Sequence[int]]:
    for at in range(0, len(ids), _BATCH):
        yield ids[at : at + _BATCH]


def preview_catch_up(
    session: Session, plan: CatchUpPlan, *, now: datetime
) -> tuple[int, CatchUpReport]:
    """How many messages are asked about, and exactly what would happen; nothing happens.

    Raises NothingToDoError where none of the rules is there.
    """
    prepared = prepare_catch_up(session, plan, now=now)
    applying, report = (
        Applying(
            session,
            prepared.acting_rules,
            at=int(now.timestamp()),
            event="hand",
            respects=plan.respects,
            only_tells=True,
        ),
        CatchUpReport(),
    )
    for batch in _batches(prepared.ids):
        applying.gather(batch, report)
    return prepared.examined, report


def question_before(session: Session, report: CatchUpReport) -> str | None:
    """What is asked before a catch-up that would do this; None where it moves little."""

    def going_to(role: Role) -> int:
        folder = folder_with_role(session, role)
        return sum(n for path, n in report.places.items() if folder_at(session, path) == folder)

    move = LargeMove(
        to_trash=going_to("trash"),
        erased=going_to("erased"),
        out_of_inbox=report.out_of_inbox,
        all_mail=count_messages(session),
    )
    return question_about(move)


def start_catch_up(
    session: Session, prepared: PreparedCatchUp, *, now: datetime, event: Event = "hand"
) -> CatchUpJob:
    """Write down what is to be done; it is done by ``step_catch_up``.

    The plan may be of an earlier transaction, since each message is decided again.
    ``event`` is "daily" where nobody asked for it but the day itself.
    """
    rules, passed, at = prepared.rules, prepared.acting_rules, int(now.timestamp())
    named = f"“{rules[0].rule.name}”" if len(rules) == 1 else f"{len(rules)} rules"
    saying = f"Once a day: {named}" if event == "daily" else f"Catch-up with {named}"
    only = rules[0].id if len(rules) == 1 else None
    run_id = begin_run(session, at=at, actor="rules", saying=saying, rule_id=only)
    job = CatchUpJob(
        id=0,
        at=at,
        state="waiting",
        saying=saying,
        event=event,
        rule_ids=passed.ids,
        acting=passed.acting,
        documents=passed.documents,
        respects=prepared.respects,
        examined=prepared.examined,
        total=len(prepared.ids),
        done=0,
        report=CatchUpReport().model_dump_json(),
        run_id=run_id,
    )
    return add_job(session, job, _batches(prepared.ids))


def step_catch_up(session: Session, job_id: int) -> bool:
    """Do the next batch of a catch-up, in the transaction of its caller; whether more is left.

    Catch-ups that were asked for before it come first, whichever process they were left by: two
    are never mixed. Nothing goes outside for mail that came in long ago: no forward, no reply, no
    sound.
    """
    for job in jobs_to_do(session):
        if job.id > job_id:
            break
        if _step(session, job):
            return True
    return False


def _step(session: Session, job: CatchUpJob) -> bool:
    batch = next_messages(session, job.id)
    if batch is None:
        finish_catch_up(session, job.id, "done")
        return False
    number, ids = batch
    report = CatchUpReport.model_validate_json(job.report)
    applying = Applying(
        session,
        ActingRules(job.documents, job.rule_ids, job.acting),
        at=job.at,
        event=job.event,
        respects=job.respects,
    )
    applying.gather(ids, report)
    if job.run_id is not None:
        applying.make(job.run_id)
    advance_job(session, job, number, len(ids), report.model_dump_json())
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


def stop_run(session: Session, run_id: int) -> None:
    """Stop the catch-up whose run it is, if it goes on: what is undone is not done meanwhile."""
    for job in jobs_to_do(session):
        if job.run_id == run_id:
            finish_catch_up(session, job.id, "stopped")
