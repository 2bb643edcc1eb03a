"""The address book. A contact is kept as its vCard; its name and addresses are read from it."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlmodel import Session, col, delete, select

from mnemic.core.canonical import canonical_address
from mnemic.store.engine.driver import driver
from mnemic.store.engine.stamps import while_unchanged
from mnemic.store.engine.tables import ContactAddressRow, ContactRow

__all__ = [
    "Contact",
    "change_contact",
    "contact_with_address",
    "delete_contact",
    "known_addresses",
    "list_contacts",
]


@dataclass(frozen=True, slots=True)
class Contact:
    """Somebody: name, addresses, and the whole vCard (RFC 6350)."""

    id: int
    name: str
    addresses: tuple[str, ...]
    card: str


def list_contacts(session: Session) -> list[Contact]:
    """Everybody, by name."""
    addresses: dict[int, list[str]] = {}
    for row in session.exec(select(ContactAddressRow).order_by(col(ContactAddressRow.id))):
        addresses.setdefault(row.contact_id, []).append(row.address)
    contacts = [
        Contact(row.id or 0, row.name, tuple(addresses.get(row.id or 0, ())), row.card)
        for row in session.exec(select(ContactRow))
    ]
    return sorted(contacts, key=lambda contact: contact.name.casefold())


def known_addresses(session: Session) -> frozenset[str]:
    """The canonical form of every address in the address book."""
    return while_unchanged(
        session, "known addresses", ("contact_address",), lambda: _read_addresses(session)
    )


def _read_addresses(session: Session) -> frozenset[str]:
    rows = driver(session).execute("SELECT canonical FROM contact_address")
    return frozenset(address for (address,) in rows)


def contact_with_address(session: Session, addresses: Sequence[str]) -> int | None:
    """The id of a contact that has one of these addresses, or None."""
    keys = list(map(canonical_address, addresses))
    return session.exec(
        select(ContactAddressRow.contact_id).where(col(ContactAddressRow.canonical).in_(keys))
    ).first()


def change_contact(session: Session, contact: Contact) -> Contact:
    """Keep a contact as it is given; with id 0 it is made. Returns it with its id."""
    row = (session.get(ContactRow, contact.id) if contact.id else None) or ContactRow(
        name="", card=""
    )
    row.name, row.card = contact.name, contact.card
    session.add(row)
    session.flush()
    session.exec(delete(ContactAddressRow).where(col(ContactAddressRow.contact_id) == row.id))
    for address in contact.addresses:
        key = canonical_address(address)
        session.add(ContactAddressRow(contact_id=row.id or 0, address=address, canonical=key))
    session.flush()
    return Contact(row.id or 0, contact.name, contact.addresses, contact.card)


def delete_contact(session: Session, contact_id: int) -> bool:
    """Forget a contact. Whether there was such a contact."""
    row = session.get(ContactRow, contact_id)
    if row is None:
        return False
    session.delete(row)
    session.flush()
    return True
