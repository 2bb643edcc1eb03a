"""Stored messages as the core's rules look at them, without parsing their octets again."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cached_property
from itertools import islice
from typing import Any, Protocol

from sqlalchemy import bindparam, select
from sqlmodel import Session

from mnemic.core import Envelope, MessageState, ParsedMessage, parse_message
from mnemic.core.fields.text_condition import Channel
from mnemic.core.message import AddressHeader, Attachment, Kind, KindName, Priority
from mnemic.core.message.addresses import Address
from mnemic.store.engine.driver import driver
from mnemic.store.engine.tables import MessageRow
from mnemic.store.mail.addresses import ENVELOPE
from mnemic.store.mail.folders import folder_paths
from mnemic.store.mail.labels import labels_of
from mnemic.store.mail.messages import octets_of_messages
from mnemic.store.owner.accounts import list_accounts

__all__ = ["MessageColumns", "StoredMessage", "know_folded", "stored_messages"]

#: Messages read at a time; enough to make a query's cost small, few enough to stay in memory.
_BATCH = 500


class MessageColumns(Protocol):
    """The columns of the message table: a plain row, not an object of the mapper's."""

    id: int
    digest: bytes
    message_id: str | None
    subject: str | None
    sender_name: str
    sender_address: str
    received_at: int
    size: int
    attachments: int
    kind: KindName
    kind_reason: str
    list_id: str | None
    importance: Priority
    account_id: int | None
    mailbox_id: int
    folder_id: int
    seen: bool
    flagged: bool
    colour: str | None
    priority: str | None


@dataclass(frozen=True)
class StoredMessage:
    """A stored message as a ``MessageView``, with its row and its state.

    What rules look at most stands in tables; the rest is read from the octets when it is asked
    for, within the session that the message came from.
    """

    row: MessageColumns
    state: MessageState
    addresses: Mapping[AddressHeader, tuple[Address, ...]]
    recipients: tuple[str, ...]
    body: str
    session: Session = field(repr=False, compare=False)
    cache: dict[Any, tuple[Any, ...]] = field(default_factory=dict, repr=False, compare=False)

    @property
    def id(self) -> int:
        """The message's id."""
        return self.row.id

    @cached_property
    def envelope(self) -> Envelope:
        """What the transport said; the return path stands behind the octets, so it is read late."""
        addresses = driver(self.session).execute(_RETURN_PATH, (self.id,)).fetchone()
        return Envelope(addresses[0] if addresses else None, self.recipients)

    @cached_property
    def parsed(self) -> ParsedMessage:
        """The message parsed anew."""
        octets = dict(octets_of_messages(self.session, [self.id])).get(self.id, b"")
        return parse_message(octets, self.envelope)

    @property
    def subject(self) -> str | None:
        """The decoded Subject, or None where there is no such field."""
        return self.row.subject

    @property
    def received(self) -> datetime | None:
        """When it was received."""
        return datetime.fromtimestamp(self.row.received_at, UTC)

    @property
    def size(self) -> int:
        """Octets as transmitted."""
        return self.row.size

    @property
    def sent(self) -> datetime | None:
        """The Date field."""
        return self.parsed.sent

    @property
    def message_id(self) -> str | None:
        """The Message-ID field."""
        return self.row.message_id

    @property
    def attachments(self) -> tuple[Attachment, ...]:
        """The attachments in order."""
        return self.parsed.attachments if self.row.attachments else ()

    @property
    def list_id(self) -> str | None:
        """The identifier of List-Id (RFC 2919), or None."""
        return self.row.list_id

    @property
    def priority(self) -> Priority:
        """What its writer said of its importance."""
        return self.row.importance

    @property
    def kind(self) -> Kind:
        """What kind of mail it is."""
        return Kind(self.row.kind, self.row.kind_reason)

    def header(self, name: str) -> tuple[str, ...]:
        """Every occurrence of a header field, unfolded and decoded; the name in any case."""
        return self.parsed.header(name)


_RETURN_PATH = "SELECT return_path FROM message_octets WHERE message_id = ?"


_MESSAGES = MessageRow.__table__  # type: ignore[attr-defined] # a table has one
_ROWS = select(_MESSAGES).where(_MESSAGES.c.id.in_(bindparam("ids", expanding=True)))


def _addresses(session: Session, listed: str) -> dict[int, dict[str, list[Address]]]:
    rows = driver(session).execute(
        "SELECT ma.message_id, ma.header, a.name, a.local, a.domain FROM message_address AS ma"
        " JOIN address AS a ON a.id = ma.address_id"
        f" WHERE ma.message_id IN ({listed}) ORDER BY ma.message_id, ma.position"
    )
    addresses: dict[int, dict[str, list[Address]]] = {}
    for message_id, header, name, local, domain in rows:
        addresses.setdefault(message_id, {}).setdefault(header, []).append(
            Address(name, local, domain)
        )
    return addresses


def _headers(
    addresses: dict[str, list[Address]],
) -> tuple[dict[AddressHeader, tuple[Address, ...]], tuple[str, ...]]:
    """The addresses of header fields, and those of the envelope."""
    recipients = tuple(address.address for address in addresses.get(ENVELOPE, ()))
    headers: dict[AddressHeader, tuple[Address, ...]] = {
        header: tuple(listed)  # type: ignore[misc] # the column holds these names alone
        for header, listed in addresses.items()
        if header != ENVELOPE
    }
    return headers, recipients


@dataclass(frozen=True, slots=True)
class _Places:
    """Folder paths and account addresses, by id."""

    folders: Mapping[int, str]
    accounts: Mapping[int | None, str]

    def state(self, row: MessageColumns, labels: list[str]) -> MessageState:
        return MessageState(
            account=self.accounts.get(row.account_id),
            folder=self.folders[row.folder_id],
            labels=tuple(labels),
            seen=row.seen,
            flagged=row.flagged,
        )


def _batch(session: Session, ids: list[int], places: _Places) -> dict[int, StoredMessage]:
    listed = ", ".join(str(int(key)) for key in ids)
    addresses, labels = _addresses(session, listed), labels_of(session, ids)
    bodies = dict(
        driver(session).execute(
            "SELECT message_id, unpacked_text(body, packed) FROM message_text"
            f" WHERE message_id IN ({listed})"
        )
    )
    views = {}
    # An object of the mapper's would cost five times as much as a plain row.
    for row in session.connection().execute(_ROWS, {"ids": ids}).all():
        key = int(row.id)
        headers, recipients = _headers(addresses.get(key, {}))
        state = places.state(row, labels.get(key, []))
        views[key] = StoredMessage(row, state, headers, recipients, bodies[key], session)
    return views


def know_folded(session: Session, messages: Mapping[int, StoredMessage]) -> None:
    """Let messages have the folded forms that are stored, so that they are not made again."""
    listed = ", ".join(map(str, messages))
    rows = driver(session).execute(
        f"SELECT message_id, subject, body FROM message_folded WHERE message_id IN ({listed})"
    )
    for message_id, subject, body in rows:
        message = messages[message_id]
        message.cache[Channel("body", "", exact=False)] = (body,)
        if message.subject is not None:
            message.cache[Channel("subject", "", exact=False)] = (subject,)


def stored_messages(session: Session, ids: Iterator[int]) -> Iterator[StoredMessage]:
    """The messages with these ids, in the order of the ids; those that are gone are left out."""
    accounts: dict[int | None, str] = {
        account.id: account.address for account in list_accounts(session)
    }
    places = _Places(folder_paths(session), accounts)
    while batch := list(islice(ids, _BATCH)):
        views = _batch(session, batch, places)
        yield from (views[message] for message in batch if message in views)
