"""A message as rules look at it, and what is given beside it."""

from collections.abc import Mapping, Set
from dataclasses import dataclass, field
from datetime import UTC, datetime, tzinfo
from functools import cached_property
from typing import Any, Literal, Protocol, TypeAlias

from mnemic.core.message.addresses import Address, parse_addresses

__all__ = [
    "ADDRESS_HEADERS",
    "AddressHeader",
    "Attachment",
    "Circumstances",
    "Envelope",
    "Kind",
    "KindName",
    "MessageState",
    "MessageView",
    "Priority",
]

AddressHeader: TypeAlias = Literal[
    "from", "sender", "reply_to", "to", "cc", "bcc", "delivered_to", "x_original_to"
]
Priority: TypeAlias = Literal["high", "normal", "low"]
KindName: TypeAlias = Literal[
    "bounce", "auto_reply", "invitation", "notification", "discussion", "newsletter", "personal"
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


@dataclass(frozen=True)
class Envelope:
    """What the transport said of a message (RFC 5321, section 2.3.1).

    ``sender`` is the return path, None where the transport said nothing; ``recipients`` are the
    addresses it was delivered for, which no header need name.
    """

    sender: str | None = None
    recipients: tuple[str, ...] = ()

    @cached_property
    def addresses(self) -> tuple[Address, ...]:
        """The recipients, read as addresses."""
        return tuple(
            address for recipient in self.recipients for address in parse_addresses(recipient)
        )


@dataclass(frozen=True, slots=True)
class Attachment:
    """An attachment: file name (empty where it has none), media type, size in octets decoded."""

    name: str
    media_type: str
    size: int


@dataclass(frozen=True, slots=True)
class Kind:
    """What kind of mail a message is, and why it is taken for that."""

    name: KindName
    reason: str


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

    @property
    def sent(self) -> datetime | None:
        """The Date field."""

    @property
    def size(self) -> int:
        """Octets as transmitted."""

    @property
    def attachments(self) -> tuple[Attachment, ...]:
        """The attachments in order."""

    @property
    def list_id(self) -> str | None:
        """The identifier of List-Id (RFC 2919), or None."""

    @property
    def priority(self) -> Priority:
        """What its writer said of its importance."""

    @property
    def kind(self) -> Kind:
        """What kind of mail it is."""

    def header(self, name: str) -> tuple[str, ...]:
        """Every occurrence of a header field, unfolded and decoded; the name in any case."""

    @property
    def cache(self) -> dict[Any, tuple[Any, ...]]:
        """Where the comparable forms of its texts are kept, so that each is folded once."""


@dataclass(frozen=True, slots=True)
class MessageState:
    """A message's state when a run starts: account address, folder path, labels and flags."""

    account: str | None = None
    folder: str = "Inbox"
    labels: tuple[str, ...] = ()
    seen: bool = False
    flagged: bool = False


@dataclass(frozen=True, slots=True)
class Circumstances:
    """What conditions and actions depend on beside the message; nothing is asked of the world.

    ``now`` is the time of the run and ``timezone`` the owner's. Addresses in ``me``, ``contacts``,
    ``earlier_senders`` (of mail that was here before) and ``answered`` (sender to the time of the
    last automatic answer) are in the form of ``canonical_address``.
    """

    now: datetime = field(default_factory=lambda: datetime.fromtimestamp(0, UTC))
    timezone: tzinfo = UTC
    me: Set[str] = frozenset()
    contacts: Set[str] = frozenset()
    earlier_senders: Set[str] = frozenset()
    answered: Mapping[str, datetime] = field(default_factory=dict)
