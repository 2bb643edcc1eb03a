"""The history: runs and single acts, newest first, and the messages that each of them changed."""

from dataclasses import dataclass
from typing import NamedTuple

from sqlmodel import Session

from mnemic.core.run_sayings import run_saying
from mnemic.store.engine.sql import fetch

__all__ = [
    "HistoryRun",
    "PersonsChange",
    "RunChange",
    "RunShare",
    "changes_by_people",
    "changes_of_run",
    "list_runs",
    "shares_of_run",
]


@dataclass(frozen=True, slots=True)
class HistoryRun:
    """One thing that was done, whole. ``at`` is in seconds since 1970-01-01 UTC.

    ``undone`` tells that it has been undone, ``undoes`` which run it undid itself.
    ``can_be_undone`` is False of what destroyed mail whose time was over.
    """

    id: int
    at: int
    actor: str
    saying: str
    messages: int
    rule_id: int | None
    undone: bool
    undoes: int | None
    can_be_undone: bool


@dataclass(frozen=True, slots=True)
class RunChange:
    """A change of a message in a run: a slot of it, before and after, and whose doing it was.

    ``undoes`` tells that the run undid another.
    """

    message_id: int
    slot: str
    before: str | None
    after: str | None
    rule_id: int | None
    undoes: bool


@dataclass(frozen=True, slots=True)
class RunShare:
    """One rule's part in a run: how many messages it changed."""

    rule_id: int
    messages: int


def list_runs(session: Session, *, before: int | None, limit: int) -> list[HistoryRun]:
    """Runs, the newest first, those that come after the run ``before``; reading is left out."""
    rows = fetch(
        session,
        "SELECT id, at, actor, kind, saying, messages, rule_id, undone_by IS NOT NULL, undoes,"
        " actor <> 'housekeeping' FROM run"
        " WHERE saying NOT IN ('', 'Opened') AND (:before IS NULL"
        " OR (at, id) < (SELECT at, id FROM run WHERE id = :before))"
        " AND EXISTS (SELECT 1 FROM journal WHERE run_id = run.id)"
        " ORDER BY at DESC, id DESC LIMIT :limit",
        before=before,
        limit=limit,
    )
    return [
        HistoryRun(key, at, actor, run_saying(kind, what), *rest)
        for key, at, actor, kind, what, *rest in rows
    ]


def changes_of_run(
    session: Session, run_id: int, *, messages: int, before: int | None = None
) -> list[RunChange]:
    """What a run changed about messages, of the newest so many that came before another one."""
    rows = fetch(
        session,
        "SELECT entity_id, slot, before, after, rule_id,"
        " (SELECT undoes IS NOT NULL FROM run WHERE id = run_id) FROM journal"
        " WHERE run_id = :run AND entity = 'message' AND entity_id IN (SELECT DISTINCT entity_id"
        " FROM journal WHERE run_id = :run AND entity = 'message'"
        " AND (:before IS NULL OR entity_id < :before) ORDER BY entity_id DESC"
        " LIMIT :messages) ORDER BY entity_id DESC, id",
        run=run_id,
        messages=messages,
        before=before,
    )
    return [RunChange(*row) for row in rows]


def shares_of_run(session: Session, run_id: int) -> list[RunShare]:
    """Each rule's part in a run, the largest first."""
    rows = fetch(
        session,
        "SELECT rule_id, count(DISTINCT entity_id) AS n FROM journal WHERE run_id = :run"
        " AND entity = 'message' AND rule_id IS NOT NULL GROUP BY rule_id ORDER BY n DESC",
        run=run_id,
    )
    return [RunShare(*row) for row in rows]


class PersonsChange(NamedTuple):
    """What a person changed about a message; ``undid`` is the run that was undone, in words.

    ``at`` is in seconds since 1970-01-01 UTC; ``lasting`` tells what opening it did by itself;
    ``elsewhere`` it was done on another device.
    """

    at: int
    elsewhere: bool
    lasting: bool
    undid: str | None
    change: RunChange


def changes_by_people(session: Session, message_id: int) -> list[PersonsChange]:
    """What people changed about one message, oldest first."""
    rows = fetch(
        session,
        "SELECT r.at, r.actor = 'elsewhere', r.lasting, r.undoes IS NOT NULL, o.kind, o.saying,"
        " j.slot, j.before, j.after"
        " FROM journal AS j JOIN run AS r ON r.id = j.run_id LEFT JOIN run AS o ON o.id = r.undoes"
        " WHERE j.entity = 'message' AND j.entity_id = :id AND r.actor IN ('person', 'elsewhere')"
        " ORDER BY j.id",
        id=message_id,
    )
    return [
        PersonsChange(
            at,
            bool(elsewhere),
            bool(lasting),
            run_saying(kind, what) if undoes else None,
            RunChange(message_id, slot, before, after, None, bool(undoes)),
        )
        for at, elsewhere, lasting, undoes, kind, what, slot, before, after in rows
    ]
