"""Contacts in and out of vCard files."""

from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core.canonical import canonical_address
from mnemic.post.vcard import read_cards
from mnemic.store.owner.contacts import Contact, change_contact, list_contacts

__all__ = ["ContactsReport", "export_contacts", "import_contacts"]


@dataclass(frozen=True, slots=True)
class ContactsReport:
    """How many contacts an import added, and how many were in the address book as they are."""

    added: int
    known: int


def import_contacts(session: Session, octets: bytes) -> ContactsReport:
    """Take the contacts of a vCard file in; raises VcardError where it holds none.

    One whose name and addresses are in the address book already is not added again.
    """
    there = {_key(contact.name, contact.addresses) for contact in list_contacts(session)}
    added = known = 0
    for card in read_cards(octets):
        key = _key(card.name, card.addresses)
        if key in there:
            known += 1
            continue
        there.add(key)
        change_contact(session, Contact(0, card.name, card.addresses, card.text))
        added += 1
    return ContactsReport(added, known)


def _key(name: str, addresses: tuple[str, ...]) -> tuple[str, frozenset[str]]:
    return name.casefold(), frozenset(map(canonical_address, addresses))


def export_contacts(session: Session) -> str:
    """The whole address book as one vCard file, each card as it came or was made."""
    cards = (contact.card for contact in list_contacts(session))
    return "".join(card if card.endswith("\n") else f"{card}\r\n" for card in cards)
