"""Evidence in the office's words: what stands in a message as it stands, all else said plainly."""

import re
from collections.abc import Mapping

__all__ = ["KINDS_OF_MAIL", "KIND_WORDS", "because_saying", "value_in_words"]

#: Values that conditions find which no message holds: what each says of the message.
_VALUES: dict[str, dict[str, str]] = {
    "addressed": {
        "only_me": "addressed only to me",
        "to_me": "I am in To",
        "cc_me": "I am in Cc",
        "not_me": "I am in neither To, Cc nor Bcc",
    },
    "contact": {
        "known": "from a known contact",
        "unknown": "from nobody in the contacts",
        "first": "the first message from its sender",
    },
    "priority": {level: f"{level} importance" for level in ("high", "normal", "low")},
    "seen": {"seen": "read", "not seen": "unread"},
    "flagged": {"flagged": "flagged", "not flagged": "not flagged"},
}

#: The kinds as people call them; the standard's reason follows.
KIND_WORDS: Mapping[str, str] = {
    "bounce": "a bounce",
    "auto_reply": "an automatic answer",
    "invitation": "an invitation",
    "notification": "an automatic notification",
    "discussion": "from a discussion list",
    "newsletter": "a newsletter",
    "personal": "personal",
}

#: The same of several messages.
KINDS_OF_MAIL: Mapping[str, str] = {
    "bounce": "bounces",
    "auto_reply": "automatic answers",
    "invitation": "invitations",
    "notification": "notifications",
    "discussion": "discussion lists",
    "newsletter": "newsletters",
    "personal": "personal",
}

#: What is said before a value, where the field is not plain from it.
_LEADS = {
    "list": "list",
    "attachment": "attachment",
    "attachment_type": "attachment of type",
    "size": "size",
    "received": "received",
    "sent": "dated",
    "age": "age",
    "account": "account",
    "folder": "in",
    "label": "labelled",
}

#: Fields of addresses, and how a message came to have one.
_ADDRESSES = {
    "from": "from",
    "sender": "from",
    "reply_to": "answers to",
    "to": "came to",
    "cc": "came to",
    "bcc": "came to",
    "delivered_to": "came to",
    "x_original_to": "came to",
    "envelope": "came to",
}


def value_in_words(field: str, value: str) -> str:
    """A value of evidence as people say it; the text of a message stays as it is."""
    if field == "kind":
        name, colon, reason = value.partition(": ")
        return f"{KIND_WORDS.get(name, name)}{colon}{reason}"
    if field == "folder":
        return value.replace("/", " / ")
    return _VALUES.get(field, {}).get(value, value)


def because_saying(field: str, value: str, start: int, end: int) -> str:
    """Why a condition held, in a few words: "came to moorings@", "“permit”", "a newsletter"."""
    said = value_in_words(field, value)
    if field == "kind":
        return said.partition(": ")[0]
    if field in _VALUES:
        return said
    if field in _LEADS:
        return f"{_LEADS[field]} {said}"
    if field in _ADDRESSES:
        address = re.search(r"\S+@", value)
        return f"{_ADDRESSES[field]} {address.group().lstrip('<') if address else value}"
    return f"“{value[start:end]}”"
