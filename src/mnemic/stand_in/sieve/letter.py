"""A message as the tests of a script see it: header fields, addresses, parts, dates."""

import email
import email.policy
import re
from collections.abc import Iterator, Sequence
from datetime import datetime
from email.header import decode_header, make_header
from email.message import Message
from email.utils import getaddresses, parsedate_to_datetime

__all__ = ["Letter"]

_GROUP = re.compile(r'(?:^|,)\s*(?:"[^"]*"|[^:;"<>@,])*:((?:"[^"]*"|[^;"])*);')


class Letter:
    """A message with its envelope."""

    def __init__(self, octets: bytes, sender: str, recipient: str) -> None:
        self.octets = octets
        self.envelope = {"from": sender, "to": recipient}
        self._message: Message = email.message_from_bytes(octets, policy=email.policy.compat32)

    def raw(self, name: str) -> list[str]:
        """The values of a header field, unfolded."""
        values = [str(value) for value in self._message.get_all(name, [])]
        return [re.sub(r"\r?\n(?=[ \t])", "", value) for value in values]

    def header(self, name: str) -> list[str]:
        """The values of a header field, decoded (RFC 2047), ends trimmed."""
        return [_decoded(value).strip() for value in self.raw(name)]

    def addresses(self, names: Sequence[str]) -> list[str]:
        """Every address of header fields, those of groups, too."""
        fields = [_without_groups(value) for name in names for value in self.raw(name)]
        return [address for _, address in getaddresses(fields) if address]

    def may_be_answered(self, mine: Sequence[str]) -> bool:
        """Whether an automatic answer neither loops nor annoys (RFC 5230, sections 4.5 and 4.6)."""
        sender = self.envelope["from"].lower()
        local = sender.partition("@")[0]
        if not sender or local.startswith("owner-") or local.endswith("-request"):
            return False
        if local in ("mailer-daemon", "listserv", "majordomo"):
            return False
        own = {address.lower() for address in mine}
        named = {recipient.lower() for recipient in self.addresses(("to", "cc", "bcc"))}
        if sender in own or not named & own:
            return False
        words = [value.split(";")[0].strip().lower() for value in self.raw("auto-submitted")]
        if any(word != "no" for word in words):
            return False
        if any(name.lower().startswith("list-") for name in self._message):
            return False
        bulk = ("bulk", "junk", "list")
        return not any(value.strip().lower() in bulk for value in self.raw("precedence"))

    def parts(self) -> Iterator[Message]:
        """All parts that are no containers."""
        return (part for part in self._message.walk() if not part.is_multipart())

    def all_parts(self) -> Iterator[Message]:
        """The message and all its parts."""
        return iter(self._message.walk())

    def texts(self) -> list[str]:
        """The texts of the body, markup taken out of HTML (RFC 5173, section 5.3)."""
        texts = []
        for part in self.parts():
            if part.get_content_maintype() != "text" or part.get_filename():
                continue
            text = content(part)
            if part.get_content_subtype() == "html":
                text = re.sub(r"<[^>]*>", " ", text)
            texts.append(text)
        return texts

    def date(self, name: str) -> datetime | None:
        """The moment of a header field."""
        for value in self.raw(name)[:1]:
            try:
                moment = parsedate_to_datetime(value)
            except (ValueError, TypeError, IndexError):
                return None
            return moment if moment.tzinfo else moment.astimezone()
        return None


def content(part: Message) -> str:
    """The decoded text of a part."""
    octets = part.get_payload(decode=True)
    if not isinstance(octets, bytes):
        return ""
    try:
        return octets.decode(part.get_content_charset() or "utf-8", "replace")
    except LookupError:
        return octets.decode("utf-8", "replace")


def _decoded(value: str) -> str:
    try:
        return str(make_header(decode_header(value)))
    except (ValueError, LookupError, UnicodeError):
        return value


def _without_groups(value: str) -> str:
    """The members of groups in place of the groups (RFC 5322, section 3.4)."""
    return _GROUP.sub(lambda match: f",{match[1]}", value).lstrip(",")
