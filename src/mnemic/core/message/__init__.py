"""Messages: from octets to what rules look at.

Headers, addresses, MIME parts, HTML to text, kinds; all within bounds, and nothing is raised for
broken mail. A message knows nothing of rules.
"""

from mnemic.core.message.parsing import (
    ParsedMessage,
    looks_like_mail,
    parse_message,
)
from mnemic.core.message.view import (
    ADDRESS_HEADERS,
    AddressHeader,
    Attachment,
    Circumstances,
    Envelope,
    Kind,
    KindName,
    MessageState,
    MessageView,
    Priority,
)

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
    "ParsedMessage",
    "Priority",
    "looks_like_mail",
    "parse_message",
]
