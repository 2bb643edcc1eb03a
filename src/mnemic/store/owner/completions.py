"""Values that are in the mailbox or the address book, to pick from while a rule is written."""

from dataclasses import dataclass
from typing import Literal

from sqlalchemy import func
from sqlmodel import Session, col, select

from mnemic.store.engine.sql import fetch
from mnemic.store.engine.tables import ContactAddressRow, ContactRow

__all__ = ["Completion", "complete"]

#: As many as can be looked over at a glance.
_LIMIT = 8

_HEADERS = {
    "from": ("from",),
    "recipient": ("to", "cc", "bcc", "delivered_to", "x_original_to", "envelope"),
}


@dataclass(frozen=True, slots=True)
class Completion:
    """A value, a display name that goes with it, and how many messages have it."""

    value: str
    name: str
    messages: int


def complete(
    session: Session,
    *,
    header: Literal["from", "recipient"],
    part: Literal["address", "domain"],
    text: str,
) -> list[Completion]:
    """Addresses or domains that hold ``text``, the most frequent first; then those of contacts."""
    completions = _in_mail(session, header=header, part=part, text=text)
    known = {each.value for each in completions}
    contacts = (each for each in _of_contacts(session, part, text) if each.value not in known)
    return [*completions, *contacts][:_LIMIT]


def _of_contacts(
    session: Session, part: Literal["address", "domain"], text: str
) -> list[Completion]:
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
    return [Completion(each, "", 0) for each in dict.fromkeys(domains) if wanted in each]


def _in_mail(
    session: Session,
    *,
    header: Literal["from", "recipient"],
    part: Literal["address", "domain"],
    text: str,
) -> list[Completion]:
    domain, name = "lower(a.domain)", "lower(a.name)"
    value = domain if part == "domain" else f"lower(a.local) || '@' || {domain}"
    searched = value if part == "domain" else f"{value} || ' ' || {name}"
    headers = ", ".join(f"'{each}'" for each in _HEADERS[header])
    # The addresses first: there are far fewer of them than messages (CROSS JOIN keeps the order).
    rows = fetch(
        session,
        f"SELECT {value} AS value, max(a.name), count(DISTINCT ma.message_id) AS messages"
        " FROM address AS a CROSS JOIN message_address AS ma INDEXED BY message_of_address"
        f" ON ma.address_id = a.id AND ma.header IN ({headers})"
        f" WHERE a.domain <> '' AND instr({searched}, :text) > 0"
        " GROUP BY value ORDER BY messages DESC, value LIMIT :limit",
        text=text.strip().lower(),
        limit=_LIMIT,
    )
    return [
        Completion(completions, "" if part == "domain" else name, count)
        for completions, name, count in rows
    ]
