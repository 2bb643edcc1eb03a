"""A catch-up done at once, within one transaction."""

from datetime import UTC, datetime

from sqlmodel import Session

from mnemic.jobs.catch_up.passing import CatchUpReport
from mnemic.jobs.catch_up.planning import CatchUpPlan, prepare_catch_up
from mnemic.jobs.catch_up.running import start_catch_up, step_catch_up
from mnemic.store.line.catch_ups import CatchUpJob, get_job
from mnemic.store.line.rules import StoredRule


def start(session: Session, plan: CatchUpPlan, *, now: datetime) -> CatchUpJob:
    return start_catch_up(session, prepare_catch_up(session, plan, now=now), now=now)


def run(session: Session, plan: CatchUpPlan, *, at: int) -> CatchUpReport:
    job = start(session, plan, now=datetime.fromtimestamp(at, UTC))
    while step_catch_up(session, job.id):
        pass
    done = get_job(session, job.id)
    assert done is not None
    assert (done.state, done.done) == ("done", done.total)
    return CatchUpReport.model_validate_json(done.report)


def catch_up(session: Session, stored: StoredRule, *, at: int) -> CatchUpReport:
    return run(session, CatchUpPlan((stored.id,)), at=at)
