"""A message as rules look at it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Literal, Protocol, TypeAlias

from mnemic.core.addresses import Address

__all__ = ["ADDRESS_HEADERS", "AddressHeader", "Envelope", "MessageView"]

AddressHeader: TypeAlias = Literal[
    "from", "sender", "reply_to", "to", "cc", "bcc", "delivered_to", "x_original_to"
]

#: The address fields, and the header field each stands for.
ADDRESS_HEADERS: Mapping[AddressHeader, str] = {
    "from": "from",
    "sender": "sender",
    "reply_to": "reply-to",
    "to": "to",
    "cc": "cc",
    "bcc": "bcc",
    "delivered_to": "delivered-to",
    "x_original_to": "x-original-to",
}


@dataclass(frozen=True, slots=True)
class Envelope:
    """What the transport said of a message (RFC 5321, section 2.3.1).

    ``sender`` is the return path, None where the transport said nothing; ``recipients`` are the
    addresses it was delivered for, which no header need name.
    """

    sender: str | None = None
    recipients: tuple[str, ...] = field(default=())


class MessageView(Protocol):
    """What rules may look at in a message, whether it was just parsed or comes from a store."""

    @property
    def addresses(self) -> Mapping[AddressHeader, tuple[Address, ...]]:
        """The addresses of each address field that is present; groups flattened."""

    @property
    def envelope(self) -> Envelope:
        """What the transport said."""

    @property
    def subject(self) -> str | None:
        """The decoded Subject, or None where there is no such field."""

    @property
    def body(self) -> str:
        """The text that a reader sees."""

    @property
    def received(self) -> datetime | None:
        """When it was received."""
