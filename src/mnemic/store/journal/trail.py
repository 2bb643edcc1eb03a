"""The trail: what rules did to each message, when, and on what evidence."""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from sqlmodel import Session, col, select

from mnemic.store.engine.driver import driver
from mnemic.store.engine.sql import fetch
from mnemic.store.engine.tables import TrailRow

__all__ = ["COLUMNS", "EvidencePiece", "TrailEntry", "add_rows", "labels_put_by_rules", "trail_of"]


@dataclass(frozen=True, slots=True)
class EvidencePiece:
    """A piece of a message that made a condition hold; the span is in characters of ``value``."""

    field: str
    value: str
    start: int
    end: int


@dataclass(frozen=True, slots=True)
class TrailEntry:
    """What one rule did to one message. ``at`` is in seconds since 1970-01-01 UTC."""

    message_id: int
    rule_id: int | None
    rule_name: str
    event: str
    at: int
    folder: str | None
    labels: tuple[str, ...]
    evidence: tuple[EvidencePiece, ...]
    actions: str = "[]"  # JSON: what it did, what was overruled, what was held back


#: The columns of an entry. Labels, evidence and actions are JSON.
COLUMNS = (
    "message_id",
    "rule_id",
    "rule_name",
    "event",
    "at",
    "folder",
    "labels",
    "evidence",
    "actions",
)


def add_rows(session: Session, rows: Iterable[tuple[Any, ...]]) -> None:
    """Write many entries down: each is the values of ``COLUMNS``, in that order."""
    values = ", ".join("?" for _ in COLUMNS)
    driver(session).executemany(
        f"INSERT INTO trail ({', '.join(COLUMNS)}) VALUES ({values})", rows
    ).close()


def trail_of(session: Session, message_ids: Iterable[int]) -> dict[int, list[TrailEntry]]:
    """The entries of each message, oldest first."""
    rows = session.exec(
        select(TrailRow)
        .where(col(TrailRow.message_id).in_(list(message_ids)))
        .order_by(col(TrailRow.at), col(TrailRow.id))
    )
    entries: dict[int, list[TrailEntry]] = {}
    for row in rows:
        entry = TrailEntry(
            message_id=row.message_id,
            rule_id=row.rule_id,
            rule_name=row.rule_name,
            event=row.event,
            at=row.at,
            folder=row.folder,
            labels=tuple(json.loads(row.labels)),
            evidence=tuple(EvidencePiece(*each) for each in json.loads(row.evidence)),
            actions=row.actions,
        )
        entries.setdefault(row.message_id, []).append(entry)
    return entries


def labels_put_by_rules(session: Session) -> list[str]:
    """The names of the labels that rules put on the chosen messages, as the rules say them."""
    rows = fetch(
        session,
        "SELECT DISTINCT j.value FROM trail AS t, json_each(t.labels) AS j"
        " WHERE t.message_id IN (SELECT id FROM chosen)",
    )
    return [name for (name,) in rows]
