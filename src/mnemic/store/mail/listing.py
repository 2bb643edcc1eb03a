"""Lists of messages: what a folder, a label or the whole mailbox holds, and how many."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func
from sqlmodel import Session, col, select

from mnemic.store.engine.driver import driver
from mnemic.store.engine.sql import execute
from mnemic.store.engine.tables import MessageRow
from mnemic.store.mail.folders import folder_with_role
from mnemic.store.mail.label_bearers import messages_bearing
from mnemic.store.mail.message_states import counts_by_folder, states_of_messages

__all__ = [
    "Page",
    "count_messages",
    "count_placed_until",
    "count_since",
    "due_in_folder",
    "first_placed_at",
    "list_messages",
    "message_ids",
    "placed_until",
    "rows_of",
]


@dataclass(frozen=True, slots=True)
class Page:
    """A page of a list, newest first, and how many the whole list has."""

    rows: list[MessageRow]
    total: int


def rows_of(session: Session, ids: list[int]) -> list[MessageRow]:
    """The rows of these messages, in the order of the ids."""
    rows = {
        row.id: row for row in session.exec(select(MessageRow).where(col(MessageRow.id).in_(ids)))
    }
    return [rows[key] for key in ids if key in rows]


def list_messages(
    session: Session,
    *,
    folder_id: int | None = None,
    label_id: int | None = None,
    offset: int = 0,
    limit: int = 100,
) -> Page:
    """Messages of a folder or with a label, newest first, from the ``offset``-th on."""
    if label_id is not None:
        bearing = messages_bearing(session, label_id)
        states = states_of_messages(session)
        if folder_id is not None:
            bearing = bearing[states.folder_of[bearing] == folder_id]
        page = states.newest_first(bearing, offset + limit)[offset:]
        return Page(rows_of(session, page.tolist()), bearing.size)
    newest_first = col(MessageRow.received_at).desc(), col(MessageRow.id).desc()
    chosen = select(MessageRow.id)
    if folder_id is not None:
        chosen = chosen.where(MessageRow.folder_id == folder_id)
        total = counts_by_folder(session)[0].get(folder_id, 0)
    else:
        total = session.exec(select(func.count()).select_from(chosen.subquery())).one()
    # The ids come from the index alone, however far down the page is.
    ids = [
        key or 0 for key in session.exec(chosen.order_by(*newest_first).offset(offset).limit(limit))
    ]
    return Page(rows_of(session, ids), total)


def _shown(session: Session) -> Any:
    return MessageRow.folder_id != folder_with_role(session, "erased")


def count_messages(session: Session) -> int:
    """How many messages are in the mailbox."""
    return session.exec(select(func.count()).select_from(MessageRow).where(_shown(session))).one()


def count_since(session: Session, since: int, *, folder_id: int | None = None) -> int:
    """How many messages (of one folder) were received since that time."""
    counted, values = "SELECT count(*) FROM message WHERE received_at >= ?", [since]
    if folder_id is not None:
        counted, values = f"{counted} AND folder_id = ?", [since, folder_id]
    session.flush()
    ((count,),) = driver(session).execute(counted, values).fetchall()
    return int(count)


def message_ids(session: Session) -> Iterator[int]:
    """Every message's id, newest first."""
    newest_first = col(MessageRow.received_at).desc(), col(MessageRow.id).desc()
    shown = select(MessageRow.id).where(_shown(session)).order_by(*newest_first)
    yield from (key or 0 for key in session.exec(shown).all())


def due_in_folder(session: Session, folder_id: int, *, before: int, limit: int) -> list[int]:
    """Messages that have been in a folder since that time or longer; so many at most.

    What lies on a server, too, is destroyed there first.
    """
    due = execute(
        session,
        "SELECT id FROM message WHERE folder_id = :folder AND placed_at <= :before AND NOT EXISTS"
        " (SELECT 1 FROM server_message AS s WHERE s.message_id = message.id"
        " AND s.uid IS NOT NULL) LIMIT :limit",
        folder=folder_id,
        before=before,
        limit=limit,
    )
    return [key for (key,) in due]


def placed_until(session: Session, folder_id: int, until: int, limit: int) -> list[int]:
    """Messages that have been in a folder since that time or longer, wherever; so many at most."""
    rows = execute(
        session,
        "SELECT id FROM message WHERE folder_id = :folder AND placed_at <= :until LIMIT :limit",
        folder=folder_id,
        until=until,
        limit=limit,
    )
    return [key for (key,) in rows]


def first_placed_at(session: Session, folder_id: int) -> int | None:
    """When the message came into a folder that has been there longest; None where it is empty."""
    first: int | None = execute(
        session, "SELECT min(placed_at) FROM message WHERE folder_id = :folder", folder=folder_id
    ).scalar_one()
    return first


def count_placed_until(session: Session, folder_id: int, until: int) -> int:
    """How many messages have been in a folder since that time or longer."""
    count = execute(
        session,
        "SELECT count(*) FROM message WHERE folder_id = :folder AND placed_at <= :until",
        folder=folder_id,
        until=until,
    )
    return int(count.scalar_one())
