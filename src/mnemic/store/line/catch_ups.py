"""Catch-ups: what was asked for, how far each has come, and which messages are still to come."""

import json
from array import array
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal, TypeAlias

from sqlmodel import Session, col, func, select

from mnemic.core import Event
from mnemic.store.engine.catch_up_tables import CatchUpBatchRow, CatchUpRow
from mnemic.store.engine.driver import insert_rows
from mnemic.store.engine.sql import execute

__all__ = [
    "CatchUpJob",
    "JobState",
    "add_job",
    "advance_job",
    "end_job",
    "get_job",
    "jobs_to_do",
    "last_job_at",
    "next_messages",
]

JobState: TypeAlias = Literal["waiting", "running", "stopped", "done"]


@dataclass(frozen=True, slots=True)
class CatchUpJob:
    """A catch-up. ``examined`` messages were asked about; its rules may take ``total`` of them.

    Mail passes the rules ``rule_ids``, of which those in ``acting`` act. ``documents`` is JSON: the
    rules as they were when it was asked for, though they are changed meanwhile. ``report`` is JSON
    that counts what has been done so far; ``run_id`` is the run that undoes it.
    """

    id: int
    at: int
    state: JobState
    saying: str
    event: Event
    rule_ids: tuple[int, ...]
    acting: tuple[int, ...]
    documents: str
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
        event=row.event,  # type: ignore[arg-type] # as above
        rule_ids=tuple(json.loads(row.rules)),
        acting=tuple(json.loads(row.acting)),
        documents=row.documents,
        respects=row.respects,
        examined=row.examined,
        total=row.total,
        done=row.done,
        report=row.report,
        run_id=row.run_id,
    )


def add_job(session: Session, job: CatchUpJob, batches: Iterable[Sequence[int]]) -> CatchUpJob:
    """Keep a catch-up that is to be done, with the messages it is to come to, batch by batch."""
    row = CatchUpRow(
        at=job.at,
        state=job.state,
        saying=job.saying,
        event=job.event,
        rules=json.dumps(job.rule_ids),
        acting=json.dumps(job.acting),
        documents=job.documents,
        respects=job.respects,
        examined=job.examined,
        total=job.total,
        report=job.report,
        run_id=job.run_id,
    )
    session.add(row)
    session.flush()
    rows = [
        {"catch_up_id": row.id, "number": number, "messages": array("q", batch).tobytes()}
        for number, batch in enumerate(batches)
    ]
    insert_rows(session, CatchUpBatchRow, rows)
    return _job(row)


def get_job(session: Session, job_id: int) -> CatchUpJob | None:
    """A catch-up, or None where there is no such."""
    row = session.get(CatchUpRow, job_id)
    return None if row is None else _job(row)


def last_job_at(session: Session, event: Event) -> int | None:
    """When a catch-up for this event was last begun, in seconds since 1970; None: never."""
    return session.exec(select(func.max(CatchUpRow.at)).where(CatchUpRow.event == event)).one()


def jobs_to_do(session: Session) -> list[CatchUpJob]:
    """The catch-ups that wait or were interrupted, the first one first."""
    open_ones = col(CatchUpRow.state).in_(("waiting", "running"))
    rows = session.exec(select(CatchUpRow).where(open_ones).order_by(col(CatchUpRow.id)))
    return [_job(row) for row in rows]


def next_messages(session: Session, job_id: int) -> tuple[int, list[int]] | None:
    """The number of the next batch of a catch-up and its messages; None where none is left."""
    waiting = (
        select(CatchUpBatchRow)
        .where(CatchUpBatchRow.catch_up_id == job_id)
        .order_by(col(CatchUpBatchRow.number))
        .limit(1)
    )
    row = session.exec(waiting).first()
    return None if row is None else (row.number, list(array("q", row.messages)))


def advance_job(session: Session, job: CatchUpJob, number: int, done: int, report: str) -> None:
    """Note that a batch is done, how many messages were in it, and what has been done so far."""
    batch = {"job": job.id, "number": number}
    execute(
        session, "DELETE FROM catch_up_batch WHERE catch_up_id = :job AND number = :number", **batch
    )
    execute(
        session,
        "UPDATE catch_up SET state = 'running', done = done + :done, report = :report"
        " WHERE id = :job",
        job=job.id,
        done=done,
        report=report,
    )


def end_job(session: Session, job_id: int, state: JobState) -> None:
    """Note that a catch-up is done, or was stopped; nothing waits for it any more."""
    execute(session, "DELETE FROM catch_up_batch WHERE catch_up_id = :job", job=job_id)
    execute(session, "UPDATE catch_up SET state = :state WHERE id = :job", state=state, job=job_id)
