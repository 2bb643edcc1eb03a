"""Values that are in the mailbox already, to pick from while a rule is written."""

from dataclasses import dataclass
from typing import Literal

from sqlalchemy import func
from sqlmodel import Session, col, select

from mnemic.store.tables import AddressRow, MessageAddressRow

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
    """Addresses or domains that hold ``text``, the most frequent first."""
    domain = func.lower(AddressRow.domain)
    address = func.lower(AddressRow.local) + "@" + domain
    value = domain if part == "domain" else address
    searched = value if part == "domain" else value + " " + func.lower(AddressRow.name)
    messages = func.count(func.distinct(MessageAddressRow.message_id))
    rows = session.exec(
        select(value, func.max(AddressRow.name), messages)
        .join(MessageAddressRow, col(MessageAddressRow.address_id) == AddressRow.id)
        .where(
            col(MessageAddressRow.header).in_(_HEADERS[header]),
            AddressRow.domain != "",
            func.instr(searched, text.strip().lower()) > 0,
        )
        .group_by(value)
        .order_by(messages.desc(), value)
        .limit(_LIMIT)
    )
    return [
        Completion(found, "" if part == "domain" else name, count) for found, name, count in rows
    ]
