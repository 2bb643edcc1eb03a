"""The trail: what rules did to each message, when, and on what evidence."""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.sql import fetch

__all__ = [
    "COLUMNS",
    "EvidencePiece",
    "TrailEntry",
    "add_rows",
    "foreseen_of",
    "labels_put_by_rules",
    "trail_of",
]


@dataclass(frozen=True, slots=True)
class EvidencePiece:
    """A piece of a message that made a condition hold; the span is in characters of ``value``."""

    field: str
    value: str
    start: int
    end: int


@dataclass(frozen=True, slots=True)
class TrailEntry:
    """What one rule did to one message. ``at`` is in seconds since 1970-01-01 UTC.

    On the event "server" the account's server did it by a script of ours. There an entry without a
    rule's name tells of a message that was found where no rule puts it.
    """

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


def add_rows(session: Session, rows: Iterable[tuple[Any, ...]], *, foreseen: bool = False) -> None:
    """Write many entries down: each is the values of ``COLUMNS``, in that order.

    ``foreseen`` is what rules would have done to mail of an account that is only watched.
    """
    values, table = ", ".join("?" for _ in COLUMNS), "foreseen" if foreseen else "trail"
    driver(session).executemany(
        f"INSERT INTO {table} ({', '.join(COLUMNS)}) VALUES ({values})", rows
    ).close()


def trail_of(session: Session, message_ids: Iterable[int]) -> dict[int, list[TrailEntry]]:
    """The entries of each message, oldest first."""
    return _entries(session, "trail", message_ids)


def foreseen_of(session: Session, message_ids: Iterable[int]) -> dict[int, list[TrailEntry]]:
    """What rules would have done to each message, had its account not been only watched."""
    return _entries(session, "foreseen", message_ids)


def _entries(
    session: Session, table: str, message_ids: Iterable[int]
) -> dict[int, list[TrailEntry]]:
    rows = fetch(
        session,
        f"SELECT {', '.join(COLUMNS)} FROM {table}"
        " WHERE message_id IN (SELECT value FROM json_each(:ids)) ORDER BY at, id",
        ids=json.dumps(list(message_ids)),
    )
    entries: dict[int, list[TrailEntry]] = {}
    for message_id, rule_id, name, event, at, folder, labels, evidence, actions in rows:
        pieces = tuple(EvidencePiece(*piece) for piece in json.loads(evidence))
        entry = TrailEntry(
            message_id, rule_id, name, event, at, folder, tuple(json.loads(labels)), pieces, actions
        )
        entries.setdefault(message_id, []).append(entry)
    return entries


def labels_put_by_rules(session: Session) -> list[str]:
    """The names of the labels that rules put on the chosen messages, as the rules say them."""
    rows = fetch(
        session,
        "SELECT DISTINCT j.value FROM trail AS t, json_each(t.labels) AS j"
        " WHERE t.message_id IN (SELECT id FROM chosen)",
    )
    return [name for (name,) in rows]
