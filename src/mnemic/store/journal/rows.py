"""Rows of other tables in the journal: folders, labels, rules."""

import json
from typing import Any

from sqlmodel import Session, SQLModel

from mnemic.store.engine.sql import execute

__all__ = [
    "record_row",
    "row_values",
]


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
