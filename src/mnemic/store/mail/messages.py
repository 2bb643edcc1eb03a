"""Messages: taking them in, listing them, reading them."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import text
from sqlmodel import Session, col, select

from mnemic.core import ParsedMessage
from mnemic.store.engine.driver import driver, insert_row
from mnemic.store.engine.session_memory import memory_of
from mnemic.store.engine.sql import execute
from mnemic.store.engine.tables import (
    AddressRow,
    MessageAddressRow,
    MessageOctetsRow,
    MessageRow,
    MessageTextRow,
)
from mnemic.store.mail.addresses import ENVELOPE, add_addresses
from mnemic.store.mail.folded import FOLDED_COLUMNS, keep_folded
from mnemic.store.mail.folders import LOCAL, folder_with_role
from mnemic.store.mail.message_content import content_of, digest_of
from mnemic.store.mail.trigram_index import keep_indexed, unindex

__all__ = [
    "WholeMessage",
    "add_message",
    "copy_message",
    "delete_message",
    "forget_addresses",
    "has_copy",
    "has_octets",
    "headers_of_messages",
    "message_called",
    "message_row",
    "octets_of",
    "octets_of_messages",
    "received_at",
    "same_delivery",
    "whole_message",
]


def _same_octets(session: Session, octets: bytes) -> list[int]:
    """The ids of the messages with exactly these octets."""
    rows = driver(session).execute(
        "SELECT id FROM message WHERE digest = ? AND mailbox_id = ? AND folder_id <> ?",
        (digest_of(octets), LOCAL, folder_with_role(session, "erased")),
    )
    return [message_id for (message_id,) in rows]


def has_octets(session: Session, octets: bytes) -> bool:
    """Whether a message with exactly these octets is in the local mailbox."""
    return bool(_same_octets(session, octets))


def same_delivery(session: Session, message: ParsedMessage) -> int | None:
    """The id of a message with these octets and this envelope, or None.

    A sender that lost our answer sends again (RFC 5321, section 4.5.4.1). Only a message with a
    Message-ID is known to be the same one (RFC 5322, section 3.6.4): two alarms of a machine
    that writes none may be alike to the octet, and both count.
    """
    if message.message_id is None:
        return None
    for rows in _same_octets(session, message.octets):
        ((return_path,),) = driver(session).execute(
            "SELECT return_path FROM message_octets WHERE message_id = ?", (rows,)
        )
        recipients = session.exec(
            select(AddressRow.local, AddressRow.domain)
            .join(MessageAddressRow, col(MessageAddressRow.address_id) == AddressRow.id)
            .where(MessageAddressRow.message_id == rows, MessageAddressRow.header == ENVELOPE)
            .order_by(col(MessageAddressRow.position))
        )
        there = tuple(f"{local}@{domain}" if domain else local for local, domain in recipients)
        envelope = message.envelope
        if (return_path, there) == (envelope.sender, envelope.recipients):
            return rows
    return None


def add_message(
    session: Session,
    message: ParsedMessage,
    *,
    received: datetime,
    folder_id: int,
    seen: bool,
    flagged: bool = False,
    **state: Any,
) -> int:
    """Keep a message, octets and what was read from them; returns its id.

    ``state`` may hold further columns of its row: ``account_id``, ``colour``, ``priority``, and
    ``placed_at`` where that is not the time of receipt.
    """
    content = content_of(message)  # what follows writes, and asks the message nothing more
    row = {
        "id": _next_id(session),
        **content.columns,
        "received_at": int(received.timestamp()),
        "folder_id": folder_id,
        "placed_at": int(received.timestamp()),
        "seen": seen,
        "flagged": flagged,
        **_UNSET,
        **state,
    }
    message_id = insert_row(session, MessageRow, row)
    octets = {
        "octets": b"",
        "packed": content.packed_octets,
        "return_path": message.envelope.sender,
    }
    insert_row(session, MessageOctetsRow, {"message_id": message_id, **octets})
    text_row = {"message_id": message_id, "body": "", "packed": content.packed_body}
    insert_row(session, MessageTextRow, text_row)
    add_addresses(session, message_id, content.addresses)
    keep_folded(driver(session), message_id, content.folded)
    keep_indexed(driver(session), message_id)
    return message_id


@dataclass
class _LastId:
    """The id that a session gave last, once it has given one."""

    given: int | None = None


def _next_id(session: Session) -> int:
    """An id that no message has had: the journal still speaks of those that were destroyed.

    Nobody else gives one while a transaction writes: it is looked for once.
    """
    last = memory_of(session, _LastId)
    if last.given is None:
        ((used,),) = driver(session).execute(
            "SELECT max(coalesce((SELECT max(id) FROM message), 0), coalesce("
            "(SELECT max(entity_id) FROM journal WHERE entity = 'message'), 0))"
        )
        last.given = int(used)
    last.given += 1
    return last.given


_UNSET = {"account_id": None, "colour": None, "priority": None}

#: What a message consists of beside its own row, and the columns of each that are copied.
_PIECES = {
    "message_octets": "octets, packed, return_path",
    "message_text": "body, packed",
    "message_folded": ", ".join(FOLDED_COLUMNS),
    "message_address": "position, header, address_id",
    "message_label": "label_id",
}


def copy_message(
    session: Session, message_id: int, *, folder_id: int, at: int, mailbox_id: int | None = None
) -> int:
    """Make a copy of a message in another folder, maybe of another mailbox; returns its id."""
    row = session.get(MessageRow, message_id, populate_existing=True)
    assert row is not None  # noqa: S101 -- whoever asks has just seen it
    values = row.model_dump() | {"id": _next_id(session), "folder_id": folder_id, "placed_at": at}
    if mailbox_id is not None:
        values["mailbox_id"] = mailbox_id
    copied = insert_row(session, MessageRow, values)
    key = {"copied": copied, "id": message_id}
    for table, columns in _PIECES.items():
        statement = (
            f"INSERT INTO {table} (message_id, {columns})"
            f" SELECT :copied, {columns} FROM {table} WHERE message_id = :id"
        )
        session.connection().execute(text(statement), key)
    keep_indexed(driver(session), copied)
    return copied


def message_called(session: Session, message_id: str) -> MessageRow | None:
    """The newest message with this Message-ID, or None."""
    called = select(MessageRow).where(MessageRow.message_id == message_id)
    called = called.where(MessageRow.folder_id != folder_with_role(session, "erased"))
    return session.exec(called.order_by(col(MessageRow.id).desc()).limit(1)).first()


def has_copy(session: Session, digest: bytes, folder_id: int) -> bool:
    """Whether a folder holds a message with the octets of this digest (SHA-256)."""
    like = select(MessageRow.id).where(
        MessageRow.digest == digest, MessageRow.folder_id == folder_id
    )
    return session.exec(like).first() is not None


def delete_message(session: Session, message_id: int) -> None:
    """Destroy a message, its octets too. This can't be undone."""
    unindex(driver(session), message_id)
    session.connection().execute(text("DELETE FROM message WHERE id = :id"), {"id": message_id})


def forget_addresses(session: Session) -> None:
    """Delete the addresses that no message bears any more."""
    used = "SELECT address_id FROM message_address"
    session.connection().execute(text(f"DELETE FROM address WHERE id NOT IN ({used})"))


def message_row(session: Session, message_id: int) -> MessageRow | None:
    """A message's row, or None where there is no such message (or it is erased)."""
    row = session.get(MessageRow, message_id)
    if row is None or row.folder_id == folder_with_role(session, "erased"):
        return None
    return row


def octets_of_messages(session: Session, ids: Sequence[int]) -> Iterator[tuple[int, bytes]]:
    """The ids and octets of messages, one after the other; those that are gone are left out."""
    listed = ", ".join(str(int(key)) for key in ids)
    yield from driver(session).execute(
        "SELECT message_id, unpacked(octets, packed) FROM message_octets"
        f" WHERE message_id IN ({listed})"
    )


def headers_of_messages(session: Session, ids: Sequence[int]) -> Iterator[tuple[int, bytes]]:
    """The ids of messages and the octets of their headers, as ``octets_of_messages`` has them."""
    listed = ", ".join(str(int(key)) for key in ids)
    yield from driver(session).execute(
        "SELECT message_id, unpacked_header(octets, packed) FROM message_octets"
        f" WHERE message_id IN ({listed})"
    )


def octets_of(session: Session, message_id: int) -> bytes | None:
    """A message's octets as they came, or None where there is no such message (or it is erased)."""
    if message_row(session, message_id) is None:
        return None
    return dict(octets_of_messages(session, [message_id])).get(message_id)


def received_at(session: Session, message_id: int) -> int:
    """When a message was received."""
    received = execute(session, "SELECT received_at FROM message WHERE id = :id", id=message_id)
    return int(received.scalar_one())


class WholeMessage(NamedTuple):
    """A message as it came, with what an open format keeps beside it."""

    octets: bytes
    return_path: str | None
    received_at: int
    seen: bool
    flagged: bool


def whole_message(session: Session, message_id: int) -> WholeMessage | None:
    """A message whole; None where there is none."""
    row = execute(
        session,
        "SELECT unpacked(o.octets, o.packed), o.return_path, m.received_at, m.seen, m.flagged"
        " FROM message AS m JOIN message_octets AS o ON o.message_id = m.id WHERE m.id = :id",
        id=message_id,
    ).first()
    if row is None:
        return None
    octets, return_path, *state = tuple(row)
    return WholeMessage(octets, return_path, state[0], bool(state[1]), bool(state[2]))
