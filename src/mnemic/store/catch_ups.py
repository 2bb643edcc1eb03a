"""Catch-ups: what was asked for, how far each has come, and which messages are still to come."""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal, TypeAlias

from sqlmodel import Session, col, select

from mnemic.store.journal import execute
from mnemic.store.tables import CatchUpMessageRow, CatchUpRow, insert_rows

__all__ = [
    "CatchUpJob",
    "JobState",
    "add_job",
    "advance_job",
    "end_job",
    "get_job",
    "jobs_to_do",
    "next_messages",
]

JobState: TypeAlias = Literal["waiting", "running", "stopped", "done"]


@dataclass(frozen=True, slots=True)
class CatchUpJob:
    """A catch-up. ``examined`` messages were asked about; the rules take ``total`` of them.

    ``report`` is JSON that counts what has been done so far; ``run_id`` is the run that undoes it.
    """

    id: int
    at: int
    state: JobState
    saying: str
    rule_ids: tuple[int, ...]
    respects: bool
    examined: int
    total: int
    done: int
    report: str = "{}"
    run_id: int | None = None


def _job(row: CatchUpRow) -> CatchUpJob:
    return CatchUpJob(
        id=row.id or 0,
        at=row.at,
        state=row.state,  # type: ignore[arg-type] # the column holds these alone
        saying=row.saying,
        rule_ids=tuple(json.loads(row.rules)),
        respects=row.respects,
        examined=row.examined,
        total=row.total,
        done=row.done,
        report=row.report,
        run_id=row.run_id,
    )


def add_job(session: Session, job: CatchUpJob, message_ids: Iterable[int]) -> CatchUpJob:
    """Keep a catch-up that is to be done, with the messages it is to come to."""
    row = CatchUpRow(
        at=job.at,
        state=job.state,
        saying=job.saying,
        rules=json.dumps(job.rule_ids),
        respects=job.respects,
        examined=job.examined,
        total=job.total,
        report=job.report,
        run_id=job.run_id,
    )
    session.add(row)
    session.flush()
    rows = [{"catch_up_id": row.id, "message_id": each} for each in message_ids]
    insert_rows(session, CatchUpMessageRow, rows)
    return _job(row)


def get_job(session: Session, job_id: int) -> CatchUpJob | None:
    """A catch-up, or None where there is no such."""
    row = session.get(CatchUpRow, job_id)
    return None if row is None else _job(row)


def jobs_to_do(session: Session) -> list[CatchUpJob]:
    """The catch-ups that wait or were interrupted, the first one first."""
    open_ones = col(CatchUpRow.state).in_(("waiting", "running"))
    rows = session.exec(select(CatchUpRow).where(open_ones).order_by(col(CatchUpRow.id)))
    return [_job(row) for row in rows]


def next_messages(session: Session, job_id: int, limit: int) -> list[int]:
    """The next messages that a catch-up has to come to, the newest first."""
    waiting = (
        select(CatchUpMessageRow.message_id)
        .where(CatchUpMessageRow.catch_up_id == job_id)
        .order_by(col(CatchUpMessageRow.message_id).desc())
        .limit(limit)
    )
    return list(session.exec(waiting))


def advance_job(session: Session, job_id: int, done: Iterable[int], report: str) -> None:
    """Note that these messages are done, and what has been done so far."""
    ids = list(done)
    listed = ", ".join(str(int(each)) for each in ids)
    execute(
        session,
        f"DELETE FROM catch_up_message WHERE catch_up_id = :job AND message_id IN ({listed})",
        job=job_id,
    )
    row = session.get(CatchUpRow, job_id)
    if row is not None:
        row.state, row.done, row.report = "running", row.done + len(ids), report
        session.flush()


def end_job(session: Session, job_id: int, state: JobState) -> None:
    """Note that a catch-up is done, or was stopped; nothing waits for it any more."""
    execute(session, "DELETE FROM catch_up_message WHERE catch_up_id = :job", job=job_id)
    row = session.get(CatchUpRow, job_id)
    if row is not None:
        row.state = state
        session.flush()
