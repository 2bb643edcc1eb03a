"""What the store keeps of what a message says, worked out once, before anything is written."""

import hashlib
from dataclasses import dataclass
from typing import Any

from mnemic.core import ParsedMessage
from mnemic.core.message.addresses import Address
from mnemic.store.engine.packing import pack, pack_text
from mnemic.store.mail.addresses import message_addresses
from mnemic.store.mail.attachment_types import types_of
from mnemic.store.mail.folded import folded_values

__all__ = ["MessageContent", "content_of", "digest_of"]

#: Characters of the body shown in lists; a row has room for about this many.
_PREVIEW_LENGTH = 160


@dataclass(frozen=True, slots=True)
class MessageContent:
    """The columns of its row, its octets and its text as they are stored, and what is indexed.

    That is its addresses with their headers, and its folded forms.
    """

    columns: dict[str, Any]
    packed_octets: bytes
    packed_body: bytes
    addresses: tuple[tuple[str, Address], ...]
    folded: dict[str, str]


def digest_of(octets: bytes) -> bytes:
    """What tells octets from others (SHA-256)."""
    return hashlib.sha256(octets).digest()


def content_of(message: ParsedMessage) -> MessageContent:
    """All that is kept of what a message says."""
    return MessageContent(
        _columns(message),
        pack(message.octets),
        pack_text(message.body),
        tuple(message_addresses(message)),
        folded_values(message),
    )


def _columns(message: ParsedMessage) -> dict[str, Any]:
    sender = next(iter(message.addresses.get("from", ())), None)
    return {
        "digest": digest_of(message.octets),
        "message_id": message.message_id if message.message_id else None,
        "subject": None if message.subject is None else message.subject,
        "sender_name": sender.name if sender else "",
        "sender_address": sender.address if sender else "",
        "preview": _preview(message.body),
        "size": message.size,
        "attachments": len(message.attachments),
        "attachment_types": types_of(message),
        "kind": message.kind.name,
        "kind_reason": message.kind.reason,
        "list_id": message.list_id if message.list_id else None,
        "importance": message.priority,
    }


def _preview(body: str) -> str:
    return " ".join(body[: 4 * _PREVIEW_LENGTH].split())[:_PREVIEW_LENGTH]
