"""Rows of other tables in the journal: folders, labels, rules."""

import json
from collections.abc import Mapping
from typing import Any

from sqlmodel import Session, SQLModel

from mnemic.store.engine.driver import insert_rows
from mnemic.store.engine.tables import JournalRow

__all__ = [
    "all_row_values",
    "record_row",
    "record_rows",
    "row_values",
]


def row_values(session: Session, entity: str, entity_id: int) -> dict[str, Any] | None:
    """A row of another table as the journal keeps it, or None where it does not exist."""
    table = SQLModel.metadata.tables[entity]
    row = session.connection().execute(table.select().where(table.c.id == entity_id)).first()
    return None if row is None else dict(row._mapping)


def all_row_values(session: Session, entity: str) -> dict[int, dict[str, Any]]:
    """Every row of another table as the journal keeps it, by its id."""
    session.flush()
    rows = session.connection().execute(SQLModel.metadata.tables[entity].select())
    return {int(row.id): dict(row._mapping) for row in rows}


def record_row(
    session: Session, run_id: int, entity: str, entity_id: int, before: dict[str, Any] | None
) -> None:
    """Write down that a row of another table was made, changed or deleted just now."""
    session.flush()
    _record(session, run_id, entity, {entity_id: (before, row_values(session, entity, entity_id))})


def record_rows(
    session: Session, run_id: int, entity: str, before: Mapping[int, dict[str, Any]]
) -> None:
    """Write down how the rows of a table, as ``all_row_values`` had them, have changed."""
    after = all_row_values(session, entity)
    states = {key: (before.get(key), after.get(key)) for key in dict.fromkeys([*before, *after])}
    _record(session, run_id, entity, states)


def _record(
    session: Session,
    run_id: int,
    entity: str,
    states: Mapping[int, tuple[dict[str, Any] | None, dict[str, Any] | None]],
) -> None:
    changes = [
        {
            "run_id": run_id,
            "entity": entity,
            "entity_id": entity_id,
            "slot": "row",
            "before": None if before is None else json.dumps(before),
            "after": None if after is None else json.dumps(after),
        }
        for entity_id, (before, after) in states.items()
        if before != after
    ]
    insert_rows(session, JournalRow, changes)
