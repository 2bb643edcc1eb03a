"""Catch-up: rules applied to mail already received, a batch at a time.

The core decides, message by message. What is left to do stands in the database, and is taken off
it in the transaction that does it: a catch-up that is interrupted goes on where it was, and does
nothing twice.
"""

from collections.abc import Iterator, Sequence
from datetime import datetime

from sqlmodel import Session

from mnemic.core import Event
from mnemic.jobs.catch_up.passing import ActingRules, Applying, CatchUpReport
from mnemic.jobs.catch_up.planning import PreparedCatchUp
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

__all__ = ["finish_catch_up", "start_catch_up", "step_catch_up", "stop_run"]

#: Messages in one transaction: a fraction of a second, so that arriving mail gets its turn.
_BATCH = 500


def _batches(ids: Sequence[int]) -> Iterator[Sequence[int]]:
    for at in range(0, len(ids), _BATCH):
        yield ids[at : at + _BATCH]


def start_catch_up(
    session: Session, prepared: PreparedCatchUp, *, now: datetime, event: Event = "hand"
) -> CatchUpJob:
    """Write down what is to be done; it is done by ``step_catch_up``.

    The plan may be of an earlier transaction, since each message is decided again.
    ``event`` is "daily" where nobody asked for it but the day itself.
    """
    rules, at = prepared.line.acting, int(now.timestamp())
    passed = prepared.line.acting_rules
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
