"""Stored messages as the core's rules look at them, without parsing their octets again."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from itertools import islice

from sqlalchemy import select as columns
from sqlmodel import Session, col, select

from mnemic.core import Envelope, ParsedMessage
from mnemic.core.addresses import Address, split_address
from mnemic.core.message import AddressHeader
from mnemic.store.tables import MessageAddressRow, MessageOctetsRow, MessageRow, MessageTextRow

__all__ = ["StoredMessage", "address_values", "stored_messages"]

_ENVELOPE = "envelope"

#: Messages read at a time; enough to make a query's cost small, few enough to stay in memory.
_BATCH = 500


@dataclass(frozen=True, slots=True)
class StoredMessage:
    """A stored message as a ``MessageView``, with its row."""

    row: MessageRow
    addresses: Mapping[AddressHeader, tuple[Address, ...]]
    envelope: Envelope
    body: str

    @property
    def id(self) -> int:
        """The message's id."""
        return self.row.id or 0

    @property
    def subject(self) -> str | None:
        """The decoded Subject, or None where there is no such field."""
        return self.row.subject

    @property
    def received(self) -> datetime | None:
        """When it was received."""
        return datetime.fromtimestamp(self.row.received_at, UTC)


def address_values(message_id: int, message: ParsedMessage) -> Iterator[dict[str, str | int]]:
    """The rows for a message's addresses, those of its envelope among them."""

    def row(header: str, address: Address) -> dict[str, str | int]:
        pieces = {"name": address.name, "local": address.local, "domain": address.domain}
        storable = {key: each.encode("utf-8", "replace").decode() for key, each in pieces.items()}
        return {"message_id": message_id, "header": header, **storable}

    for header, addresses in message.addresses.items():
        yield from (row(header, address) for address in addresses)
    for recipient in message.envelope.recipients:
        yield row(_ENVELOPE, Address("", *split_address(recipient)))


def _addresses(session: Session, ids: list[int]) -> dict[int, dict[str, list[Address]]]:
    rows = session.execute(
        columns(
            col(MessageAddressRow.message_id),
            col(MessageAddressRow.header),
            col(MessageAddressRow.name),
            col(MessageAddressRow.local),
            col(MessageAddressRow.domain),
        )
        .where(col(MessageAddressRow.message_id).in_(ids))
        .order_by(col(MessageAddressRow.id))
    )
    found: dict[int, dict[str, list[Address]]] = {}
    for message_id, header, name, local, domain in rows:
        found.setdefault(message_id, {}).setdefault(header, []).append(Address(name, local, domain))
    return found


def _view(
    row: MessageRow, return_path: str | None, body: str, addresses: dict[str, list[Address]]
) -> StoredMessage:
    recipients = tuple(each.address for each in addresses.pop(_ENVELOPE, ()))
    headers: dict[AddressHeader, tuple[Address, ...]] = {
        header: tuple(found)  # type: ignore[misc] # the column holds these names alone
        for header, found in addresses.items()
    }
    return StoredMessage(row, headers, Envelope(return_path, recipients), body)


def stored_messages(session: Session, ids: Iterator[int]) -> Iterator[StoredMessage]:
    """The messages with these ids, in the order of the ids; those that are gone are left out."""
    while batch := list(islice(ids, _BATCH)):
        addresses = _addresses(session, batch)
        rows = session.exec(
            select(MessageRow, MessageOctetsRow.return_path, MessageTextRow.body)
            .join(MessageOctetsRow, col(MessageOctetsRow.message_id) == MessageRow.id)
            .join(MessageTextRow, col(MessageTextRow.message_id) == MessageRow.id)
            .where(col(MessageRow.id).in_(batch))
        )
        views = {
            row.id: _view(row, return_path, body, addresses.get(row.id or 0, {}))
            for row, return_path, body in rows
        }
        yield from (views[each] for each in batch if each in views)
