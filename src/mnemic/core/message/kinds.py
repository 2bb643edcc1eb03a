"""What kind of mail a message is: the first that fits, each from a standard where there is one."""

import re
from collections.abc import Callable, Iterable
from typing import Protocol

from mnemic.core.message.addresses import parse_addresses
from mnemic.core.message.header_text import raw_text, unfold
from mnemic.core.message.mime_parts import Leaf, decoded_text
from mnemic.core.message.mime_reading import Part
from mnemic.core.message.structured import keyword, parameter
from mnemic.core.message.view import Kind, Priority

__all__ = ["kind_of", "priority_of"]


class Fields(Protocol):
    """The raw header fields of a message, its parts, and its return path."""

    @property
    def part(self) -> Part:
        """The message as its parts."""

    @property
    def leaves(self) -> tuple[Leaf, ...]:
        """Its leaves in order."""

    @property
    def return_path(self) -> str | None:
        """The return path; empty where it is the null path, None where nothing is said of it."""

    def first(self, name: str) -> str | None:
        """The raw value of the first field of that (lower-case) name, or None."""


def _keyword(fields: Fields, name: str) -> str | None:
    """A field's first word in lower case, without comments and parameters (RFC 3834, 5.2)."""
    value = fields.first(name)
    if value is None:
        return None
    words = keyword(value).split()
    return words[0] if words else ""


def _bounce(fields: Fields) -> str | None:
    type_field = fields.first("content-type") or ""
    is_report = keyword(type_field) == "multipart/report"
    if is_report and parameter(type_field, "report-type").lower() == "delivery-status":
        return "a delivery status report (RFC 3464)"
    if fields.return_path == "" and _keyword(fields, "auto-submitted") != "auto-replied":
        return "its return path is empty (RFC 5321, section 4.5.5)"
    return None


def _is_a_persons(fields: Fields) -> bool:
    """Whether its sender says that no machine wrote it (RFC 3834, section 5: "no").

    Then what is only common practice counts for nothing.
    """
    return _keyword(fields, "auto-submitted") == "no"


def _auto_reply(fields: Fields) -> str | None:
    if _keyword(fields, "auto-submitted") == "auto-replied":
        return "Auto-Submitted: auto-replied (RFC 3834)"
    if _is_a_persons(fields):
        return None
    for name in ("X-Autoreply", "X-Autorespond"):
        if fields.first(name.lower()) is not None:
            return f"{name} (common practice)"
    if _keyword(fields, "precedence") == "auto_reply":
        return "Precedence: auto_reply (common practice)"
    return None


_METHOD_LINE = re.compile(r"^METHOD(?:;[^:\r\n]*+)?+:", re.IGNORECASE | re.MULTILINE)


def _has_method(leaf: Leaf) -> bool:
    return bool(leaf.parameter("method")) or bool(_METHOD_LINE.search(decoded_text(leaf)))


def _invitation(fields: Fields) -> str | None:
    for leaf in fields.leaves:
        if leaf.media_type == "text/calendar" and _has_method(leaf):
            return "a calendar part with a METHOD (RFC 5546)"
    return None


def _generated(fields: Fields) -> str | None:
    if _keyword(fields, "auto-submitted") == "auto-generated":
        return "Auto-Submitted: auto-generated (RFC 3834)"
    return None


_ADDRESS_IN_URL = re.compile(r"<\s*mailto:[^<>]+>", re.IGNORECASE)


def _discussion(fields: Fields) -> str | None:
    post = fields.first("list-post")
    if post is not None and _ADDRESS_IN_URL.search(unfold(post)):
        return "List-Post has an address (RFC 2369)"
    return None


def _newsletter(fields: Fields) -> str | None:
    if fields.first("list-unsubscribe") is not None:
        return "List-Unsubscribe (RFC 2369)"
    if fields.first("list-id") is not None:
        return "List-Id (RFC 2919)"
    return None


# Local parts that take no answers, alone or as a word of a longer one (common practice).
_TAKES_NO_ANSWERS = re.compile(
    r"(?:^|[-_.])(?:(?:no|do[-_.]?not)[-_.]?reply)(?:$|[-_.])"
    r"|^(?:notifications?|notify|alerts?|mailer(?:[-_.]daemon)?|automailer|auto-?confirm)$"
)


def _answerless_sender(fields: Fields) -> str | None:
    if _is_a_persons(fields):
        return None
    for address in parse_addresses(fields.first("from") or ""):
        user = address.local.partition("+")[0].lower()
        if _TAKES_NO_ANSWERS.search(user):
            return f"{user}@ takes no answers (common practice)"
    return None


_KINDS: Iterable[tuple[Callable[[Fields], str | None], Callable[[str], Kind]]] = (
    (_bounce, lambda reason: Kind("bounce", reason)),
    (_auto_reply, lambda reason: Kind("auto_reply", reason)),
    (_invitation, lambda reason: Kind("invitation", reason)),
    (_generated, lambda reason: Kind("notification", reason)),
    (_discussion, lambda reason: Kind("discussion", reason)),
    (_newsletter, lambda reason: Kind("newsletter", reason)),
    (_answerless_sender, lambda reason: Kind("notification", reason)),
)


def kind_of(fields: Fields) -> Kind:
    """The first kind that fits, with its reason."""
    for test, kind in _KINDS:
        if reason := test(fields):
            return kind(reason)
    return Kind("personal", "nothing says that it was sent by a list or a machine")


_PRIORITY_WORDS: dict[str, dict[str, Priority]] = {
    "importance": {"high": "high", "normal": "normal", "low": "low"},  # RFC 4021, 2.1.47
    "priority": {"urgent": "high", "normal": "normal", "non-urgent": "low"},  # RFC 2156, 5.3.6
    "x-priority": {"1": "high", "2": "high", "3": "normal", "4": "low", "5": "low"},
}


def priority_of(fields: Fields) -> Priority:
    """The first readable one of Importance, Priority and X-Priority; none is ``normal``."""
    for name, words in _PRIORITY_WORDS.items():
        word = raw_text(_keyword(fields, name) or "")
        if word in words:
            return words[word]
    return "normal"
