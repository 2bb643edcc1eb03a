"""The journal: every change with before and after, so that it can be undone.

A *run* is one thing that was done, to one message or to thousands; it is undone whole. Changes of
messages are made set by set: over the ids in the temporary table ``chosen``.
"""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Literal, TypeAlias

from sqlalchemy import CursorResult, text
from sqlmodel import Session, SQLModel

from mnemic.store.tables import RunRow

__all__ = [
    "Actor",
    "Slot",
    "Statement",
    "begin_run",
    "choose_ids",
    "choose_where",
    "execute",
    "fetch",
    "finish_run",
    "put_label",
    "record_copy",
    "record_row",
    "row_values",
    "set_slot",
    "take_label",
]

Actor: TypeAlias = Literal["person", "rules", "housekeeping"]

#: The columns of a message that are changed and undone.
Slot: TypeAlias = Literal["folder_id", "seen", "flagged", "colour", "priority"]

_CHANGED = "m.{slot} IS NOT :value"


@dataclass(frozen=True, slots=True)
class Statement:
    """SQL that gives ids, with its parameters."""

    sql: str
    parameters: dict[str, Any]


def execute(session: Session, sql: str, **parameters: Any) -> CursorResult[Any]:
    """Run one statement."""
    return session.connection().execute(text(sql), parameters)


def fetch(session: Session, sql: str, **parameters: Any) -> list[Any]:
    """The rows of a query, each a tuple of what it asks for."""
    return list(execute(session, sql, **parameters))


def begin_run(
    session: Session,
    *,
    at: int,
    actor: Actor,
    saying: str = "",
    rule_id: int | None = None,
    undoes: int | None = None,
    lasting: bool = False,
) -> int:
    """Begin a run; its id. ``at`` is in seconds since 1970-01-01 UTC."""
    row = RunRow(at=at, actor=actor, saying=saying, rule_id=rule_id, undoes=undoes, lasting=lasting)
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
        said = {"run": run_id, "saying": saying, "messages": messages}
        execute(
            session, "UPDATE run SET saying = :saying, messages = :messages WHERE id = :run", **said
        )
    else:
        execute(session, "DELETE FROM run WHERE id = :run", run=run_id)
    return int(messages)


def _empty(session: Session) -> None:
    execute(session, "CREATE TEMP TABLE IF NOT EXISTS chosen (id INTEGER PRIMARY KEY)")
    execute(session, "DELETE FROM chosen")


def choose_ids(session: Session, ids: Iterable[int]) -> int:
    """Let ``chosen`` be these messages; how many they are."""
    _empty(session)
    rows = [{"id": each} for each in ids]
    if rows:
        session.connection().execute(text("INSERT OR IGNORE INTO chosen VALUES (:id)"), rows)
    return int(execute(session, "SELECT count(*) FROM chosen").scalar_one())


def choose_where(session: Session, ids: Statement, leave_out: Iterable[int] = ()) -> int:
    """Let ``chosen`` be the messages that a query gives, but for some; how many they are."""
    _empty(session)
    execute(session, f"INSERT OR IGNORE INTO chosen {ids.sql}", **ids.parameters)
    left_out = [{"id": each} for each in leave_out]
    if left_out:
        session.connection().execute(text("DELETE FROM chosen WHERE id = :id"), left_out)
    return int(execute(session, "SELECT count(*) FROM chosen").scalar_one())


def set_slot(
    session: Session,
    run_id: int,
    slot: Slot,
    value: Any,
    *,
    at: int,
    rule_id: int | None = None,
) -> int:
    """Give the chosen messages a value; how many did not have it before.

    ``rule_id`` is the rule whose doing it is, if one's.
    """
    changed = _CHANGED.format(slot=slot)
    execute(
        session,
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after, rule_id)"
        f" SELECT :run, 'message', m.id, '{slot}', m.{slot}, :value, :rule"
        f" FROM chosen JOIN message AS m ON m.id = chosen.id WHERE {changed}",
        run=run_id,
        value=value,
        rule=rule_id,
    )
    placed = ", placed_at = :at" if slot == "folder_id" else ""
    done = execute(
        session,
        f"UPDATE message AS m SET {slot} = :value{placed}"
        f" WHERE m.id IN (SELECT id FROM chosen) AND {changed}",
        value=value,
        **({"at": at} if placed else {}),
    )
    return done.rowcount


def put_label(session: Session, run_id: int, label_id: int, *, rule_id: int | None = None) -> int:
    """Put a label on the chosen messages; how many did not bear it before."""
    bearing = "SELECT message_id FROM message_label WHERE label_id = :label"
    key = {"run": run_id, "label": label_id}
    execute(
        session,
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after, rule_id)"
        " SELECT :run, 'message', m.id, 'label', NULL, :label, :rule FROM chosen"
        f" JOIN message AS m ON m.id = chosen.id WHERE m.id NOT IN ({bearing})",
        rule=rule_id,
        **key,
    )
    return execute(
        session,
        "INSERT INTO message_label (message_id, label_id) SELECT m.id, :label FROM chosen"
        f" JOIN message AS m ON m.id = chosen.id WHERE m.id NOT IN ({bearing})",
        label=label_id,
    ).rowcount


def take_label(session: Session, run_id: int, label_id: int, *, rule_id: int | None = None) -> int:
    """Take a label off the chosen messages; how many bore it before."""
    bearing = "SELECT message_id FROM message_label WHERE label_id = :label"
    execute(
        session,
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after, rule_id)"
        " SELECT :run, 'message', id, 'label', :label, NULL, :rule FROM chosen"
        f" WHERE id IN ({bearing})",
        run=run_id,
        label=label_id,
        rule=rule_id,
    )
    return execute(
        session,
        "DELETE FROM message_label WHERE label_id = :label"
        " AND message_id IN (SELECT id FROM chosen)",
        label=label_id,
    ).rowcount


def record_copy(
    session: Session, run_id: int, copied: int, *, folder_id: int, erased_id: int
) -> None:
    """Write down that a message is a copy made just now: undone, it goes to the erased ones."""
    execute(
        session,
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after)"
        " VALUES (:run, 'message', :id, 'folder_id', :erased, :folder)",
        run=run_id,
        id=copied,
        erased=erased_id,
        folder=folder_id,
    )


def row_values(session: Session, entity: str, entity_id: int) -> dict[str, Any] | None:
    """A row of another table as the journal keeps it, or None where it does not exist."""
    table = SQLModel.metadata.tables[entity]
    row = session.connection().execute(table.select().where(table.c.id == entity_id)).first()
    return None if row is None else dict(row._mapping)


def record_row(
    session: Session, run_id: int, entity: str, entity_id: int, before: dict[str, Any] | None
) -> None:
    """Write down that a row of another table was made, changed or deleted just now."""
    session.flush()
    after = row_values(session, entity, entity_id)
    if before == after:
        return
    execute(
        session,
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after)"
        " VALUES (:run, :entity, :id, 'row', :before, :after)",
        run=run_id,
        entity=entity,
        id=entity_id,
        before=None if before is None else json.dumps(before),
        after=None if after is None else json.dumps(after),
    )
