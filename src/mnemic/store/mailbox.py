"""Messages: taking them in, listing them, reading them, moving them."""

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, tuple_
from sqlmodel import Session, col, select

from mnemic.core import ParsedMessage
from mnemic.store.message_views import address_values
from mnemic.store.tables import (
    MessageAddressRow,
    MessageLabelRow,
    MessageOctetsRow,
    MessageRow,
    MessageTextRow,
    insert_rows,
)

__all__ = [
    "Page",
    "add_message",
    "count_messages",
    "has_octets",
    "list_messages",
    "message_row",
    "octets_of",
    "set_seen",
]

#: Characters of the body shown in lists; a row has room for about this many.
_PREVIEW_LENGTH = 160


@dataclass(frozen=True, slots=True)
class Page:
    """A page of a list, newest first; ``next_before`` is the place where the next one begins."""

    rows: list[MessageRow]
    total: int
    next_before: tuple[int, int] | None


def has_octets(session: Session, octets: bytes) -> bool:
    """Whether a message with exactly these octets is in the mailbox."""
    digest = hashlib.sha256(octets).digest()
    return (
        session.exec(select(MessageRow.id).where(MessageRow.digest == digest)).first() is not None
    )


def _storable(text: str) -> str:
    """Text without lone surrogates, which UTF-8 can't hold; the octets are kept beside it."""
    return text.encode("utf-8", "replace").decode("utf-8")


def add_message(
    session: Session, message: ParsedMessage, *, received: datetime, folder_id: int, seen: bool
) -> int:
    """Keep a message, octets and what was read from them; returns its id."""
    sender = next(iter(message.addresses.get("from", ())), None)
    row = {
        "digest": hashlib.sha256(message.octets).digest(),
        "message_id": _storable(message.message_id) if message.message_id else None,
        "subject": None if message.subject is None else _storable(message.subject),
        "sender_name": _storable(sender.name) if sender else "",
        "sender_address": _storable(sender.address) if sender else "",
        "preview": _storable(_preview(message.body)),
        "received_at": int(received.timestamp()),
        "size": message.size,
        "attachments": len(message.attachments),
        "folder_id": folder_id,
        "seen": seen,
    }
    message_id = insert_rows(session, MessageRow, [row])[0]
    octets = {"octets": message.octets, "return_path": message.envelope.sender}
    insert_rows(session, MessageOctetsRow, [{"message_id": message_id, **octets}])
    body = _storable(message.body)
    insert_rows(session, MessageTextRow, [{"message_id": message_id, "body": body}])
    insert_rows(session, MessageAddressRow, list(address_values(message_id, message)))
    return message_id


def _preview(body: str) -> str:
    return " ".join(body[: 4 * _PREVIEW_LENGTH].split())[:_PREVIEW_LENGTH]


def list_messages(
    session: Session,
    *,
    folder_id: int | None = None,
    label_id: int | None = None,
    before: tuple[int, int] | None = None,
    limit: int = 100,
) -> Page:
    """Messages of a folder or with a label, newest first, from the place ``before`` on.

    A place is the time of receipt and the id of the last row seen, so that mail that arrives in
    between neither repeats a row nor hides one.
    """
    chosen = select(MessageRow)
    if folder_id is not None:
        chosen = chosen.where(MessageRow.folder_id == folder_id)
    if label_id is not None:
        bearing = select(MessageLabelRow.message_id).where(MessageLabelRow.label_id == label_id)
        chosen = chosen.where(col(MessageRow.id).in_(bearing))
    total = session.exec(select(func.count()).select_from(chosen.subquery())).one()
    order = tuple_(col(MessageRow.received_at), col(MessageRow.id))
    if before is not None:
        chosen = chosen.where(order < before)
    chosen = chosen.order_by(col(MessageRow.received_at).desc(), col(MessageRow.id).desc()).limit(
        limit + 1
    )
    rows = list(session.exec(chosen))
    if len(rows) <= limit:
        return Page(rows, total, None)
    last = rows[limit - 1]
    return Page(rows[:limit], total, (last.received_at, last.id or 0))


def message_row(session: Session, message_id: int) -> MessageRow | None:
    """A message's row, or None where there is no such message."""
    return session.get(MessageRow, message_id)


def octets_of(session: Session, message_id: int) -> MessageOctetsRow | None:
    """A message's octets as they came, or None where there is no such message."""
    return session.get(MessageOctetsRow, message_id)


def set_seen(session: Session, message_id: int, *, seen: bool) -> None:
    """Mark a message as read or unread."""
    row = session.get(MessageRow, message_id)
    if row is not None and row.seen != seen:
        row.seen = seen


def count_messages(session: Session) -> int:
    """How many messages are in the mailbox."""
    return session.exec(select(func.count()).select_from(MessageRow)).one()


def count_since(session: Session, since: int, *, folder_id: int | None = None) -> int:
    """How many messages (of one folder) were received since that time."""
    counted = select(func.count()).select_from(MessageRow).where(MessageRow.received_at >= since)
    if folder_id is not None:
        counted = counted.where(MessageRow.folder_id == folder_id)
    return session.exec(counted).one()


def message_ids(session: Session) -> Iterator[int]:
    """Every message's id, newest first."""
    newest_first = col(MessageRow.received_at).desc(), col(MessageRow.id).desc()
    yield from (each or 0 for each in session.exec(select(MessageRow.id).order_by(*newest_first)))
