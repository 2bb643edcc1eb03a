"""Runs: each is one thing that was done, to one message or to thousands; it is undone whole."""

from typing import Literal, TypeAlias

from sqlmodel import Session

from mnemic.store.engine.sql import execute, fetch
from mnemic.store.engine.tables import RunRow

__all__ = [
    "Actor",
    "begin_run",
    "count_in_run",
    "finish_run",
    "join_run",
    "make_lasting",
]


Actor: TypeAlias = Literal["person", "rules", "housekeeping", "elsewhere"]


def begin_run(
    session: Session,
    *,
    at: int,
    actor: Actor,
    saying: str = "",
    rule_id: int | None = None,
    lasting: bool = False,
) -> int:
    """Begin a run; its id. ``at`` is in seconds since 1970-01-01 UTC."""
    row = RunRow(at=at, actor=actor, saying=saying, rule_id=rule_id, lasting=lasting)
    session.add(row)
    session.flush()
    return row.id or 0


def finish_run(session: Session, run_id: int, saying: str) -> int:
    """Say what the run did; how many messages it changed. One that changed nothing is forgotten."""
    ((messages, changes),) = fetch(
        session,
        "SELECT count(DISTINCT CASE WHEN entity = 'message' THEN entity_id END), count(*)"
        " FROM journal WHERE run_id = :run",
        run=run_id,
    )
    if changes:
        values = {"run": run_id, "saying": saying, "messages": messages}
        execute(
            session,
            "UPDATE run SET saying = :saying, messages = :messages WHERE id = :run",
            **values,
        )
    else:
        execute(session, "DELETE FROM run WHERE id = :run", run=run_id)
    return int(messages)


def make_lasting(session: Session, run_id: int) -> None:
    """Let the undo key pass over a run."""
    execute(session, "UPDATE run SET lasting = 1 WHERE id = :run", run=run_id)


def join_run(
    session: Session, saying: str, *, at: int, since: int, until: int, actor: Actor = "rules"
) -> int:
    """The run with this saying that was begun within a time and not undone; begun where missing.

    What comes drop by drop, as mail does, stands in the history as one run a day.
    """
    run_id = execute(
        session,
        "SELECT id FROM run WHERE at >= :since AND at < :until AND saying = :saying"
        " AND actor = :actor AND kind = 'done' AND undone_by IS NULL ORDER BY id DESC LIMIT 1",
        since=since,
        until=until,
        saying=saying,
        actor=actor,
    ).scalar()
    return begin_run(session, at=at, actor=actor, saying=saying) if run_id is None else int(run_id)


def count_in_run(session: Session, run_id: int, messages: int) -> None:
    """Note that a run has changed so many messages more."""
    execute(
        session,
        "UPDATE run SET messages = messages + :more WHERE id = :run",
        more=messages,
        run=run_id,
    )
