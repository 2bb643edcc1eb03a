"""Addresses of messages: each is kept once, as it is written, and told of by its number."""

import sqlite3
from collections.abc import Iterable, Iterator

from sqlmodel import Session

from mnemic.core import ParsedMessage
from mnemic.core.message.addresses import Address, split_address
from mnemic.core.text.domains import canonical_domain
from mnemic.core.text.folding import fold
from mnemic.store.engine.driver import driver
from mnemic.store.engine.session_memory import memory_of

__all__ = [
    "ENVELOPE",
    "add_addresses",
    "address_columns",
    "home_of",
    "message_addresses",
    "senders_written_to",
]

#: Stands in place of a header field's name for what the transport said.
ENVELOPE = "envelope"

_FIND = "SELECT id FROM address WHERE local = ? AND domain = ? AND name = ?"
_INSERT = (
    "INSERT INTO address (name, local, domain, canonical, home, folded)"
    " VALUES (:name, :local, :domain, :canonical, :home, :folded)"
)
_LINK = "INSERT INTO message_address (message_id, position, header, address_id) VALUES (?, ?, ?, ?)"


def home_of(domain: str) -> str:
    """A domain's labels, the last one first, so that those below it follow it in an index."""
    return ".".join(reversed(canonical_domain(domain).split(".")))


def message_addresses(message: ParsedMessage) -> Iterator[tuple[str, Address]]:
    """Every address of a message with its header, those of its envelope among them."""
    for header, addresses in message.addresses.items():
        yield from ((header, address) for address in addresses)
    for recipient in message.envelope.recipients:
        yield ENVELOPE, Address("", *split_address(recipient))


def address_columns(address: Address) -> dict[str, str]:
    """The row of an address."""
    return {
        "name": address.name,
        "local": address.local,
        "domain": address.domain,
        "canonical": address.canonical,
        "home": home_of(address.domain),
        "folded": f"{fold(address.name)}\n{address.canonical}",
    }


def _address_id(connection: sqlite3.Connection, address: Address) -> int:
    key = address.local, address.domain, address.name
    cursor = connection.execute(_FIND, key)
    row = cursor.fetchone()
    cursor.close()
    if row is not None:
        return int(row[0])
    cursor = connection.execute(_INSERT, address_columns(address))
    cursor.close()
    return cursor.lastrowid or 0


class _AddressIds(dict[Address, int]):
    """The ids of addresses."""


def add_addresses(
    session: Session, message_id: int, addresses: Iterable[tuple[str, Address]]
) -> None:
    """Keep the addresses of a message, each with its header."""
    connection = driver(session)
    known = memory_of(session, _AddressIds)
    rows = []
    for position, (header, address) in enumerate(addresses):
        number = known.get(address)
        if number is None:
            number = known[address] = _address_id(connection, address)
        rows.append((message_id, position, header, number))
    connection.executemany(_LINK, rows).close()


def senders_written_to(sent_folders: Iterable[int]) -> str:
    """SQL for the canonical addresses that mail in the folders of sent mail went to."""
    listed = ", ".join(map(str, sent_folders))
    return (
        "SELECT DISTINCT a.canonical FROM message AS m"
        " JOIN message_address AS ma ON ma.message_id = m.id AND ma.header IN ('to', 'cc')"
        f" JOIN address AS a ON a.id = ma.address_id WHERE m.folder_id IN ({listed})"
    )
