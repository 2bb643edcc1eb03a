"""Values that are in the mailbox or the address book, to pick from while a rule is written."""

from dataclasses import dataclass
from heapq import nsmallest

from sqlalchemy import func
from sqlmodel import Session, col, select

from mnemic.store.engine.tables import ContactAddressRow, ContactRow
from mnemic.store.mail.correspondents import Correspondent, Part, Side, correspondents

__all__ = ["Completion", "complete"]

#: As many as can be looked over at a glance.
_LIMIT = 8


@dataclass(frozen=True, slots=True)
class Completion:
    """A value, a display name that goes with it, and how many messages have it."""

    value: str
    name: str
    messages: int


def complete(
    session: Session,
    *,
    header: Side,
    part: Part,
    text: str,
) -> list[Completion]:
    """Addresses or domains that hold ``text``, the most frequent first; then those of contacts."""
    completions = _in_mail(session, header, part, text.strip().lower())
    known = {completion.value for completion in completions}
    contacts = (
        completion
        for completion in _of_contacts(session, part, text)
        if completion.value not in known
    )
    return [*completions, *contacts][:_LIMIT]


def _of_contacts(session: Session, part: Part, text: str) -> list[Completion]:
    """The same of the address book."""
    written = func.lower(ContactAddressRow.address)
    rows = session.exec(
        select(written, ContactRow.name)
        .join(ContactRow, col(ContactRow.id) == ContactAddressRow.contact_id)
        .where(func.instr(written + " " + func.lower(ContactRow.name), text.strip().lower()) > 0)
        .order_by(written)
        .limit(_LIMIT)
    )
    if part == "address":
        return [Completion(address, name, 0) for address, name in rows]
    domains = (address.rpartition("@")[2] for address, _ in rows)
    wanted = text.strip().lower()
    return [Completion(domain, "", 0) for domain in dict.fromkeys(domains) if wanted in domain]


def _in_mail(session: Session, side: Side, part: Part, text: str) -> list[Completion]:
    people = correspondents(session, side, part, text)
    most = nsmallest(_LIMIT, people, key=lambda person: (-person.messages, person.value))
    return [Completion(person.value, _name(person, text), person.messages) for person in most]


def _name(correspondent: Correspondent, text: str) -> str:
    """The name that holds the text, where one does."""
    names = correspondent.names
    return max((name for name in names if text in name.lower()), default=max(names, default=""))
