"""Octets of a message to what rules and people look at (RFC 5322, RFC 2045 to 2047)."""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from functools import cached_property
from typing import Any

from mnemic.core.bounds import MOST_ADDRESSES, MOST_GUESSES, MOST_HTML, MOST_TEXT
from mnemic.core.message.addresses import Address, parse_addresses
from mnemic.core.message.charsets import is_known
from mnemic.core.message.header_text import decode_phrase, decode_unstructured, raw_text, unfold
from mnemic.core.message.html_bounds import bounded_html
from mnemic.core.message.html_text import text_of_html
from mnemic.core.message.kinds import kind_of, priority_of
from mnemic.core.message.mime_parts import (
    Leaf,
    attachments,
    decoded_text,
    plain_text,
    text_leaves,
    walk,
)
from mnemic.core.message.mime_reading import Part, read_header, read_parts, values_of_field
from mnemic.core.message.structured import without_comments
from mnemic.core.message.view import (
    ADDRESS_HEADERS,
    AddressHeader,
    Attachment,
    Envelope,
    Kind,
    Priority,
)
from mnemic.core.text.folding import end_of_text

__all__ = ["ParsedMessage", "looks_like_mail", "parse_header", "parse_message"]

# RFC 5322, section 2.2: a field name is printable ASCII without a colon.
_FIELD_NAME = re.compile(rb"[!-9;-~]+[ \t]*:")

#: Fields of which a file needs one at least to be taken for mail (RFC 5322, section 3.6, says
#: Date and From are required; drafts and damaged mail have others of these).
_TELLING_FIELDS = frozenset(
    b"from to cc bcc sender reply-to subject date message-id received return-path delivered-to"
    b" mime-version".split()
)


@dataclass(frozen=True)
class ParsedMessage:
    """An immutable view of a message's octets; each piece is decoded when it is first asked for."""

    octets: bytes
    envelope: Envelope
    part: Part
    fields: Mapping[str, Sequence[str]]
    file_time: datetime | None = None
    receipt: datetime | None = None
    limits_met: tuple[str, ...] = ()
    cache: dict[Any, tuple[Any, ...]] = field(default_factory=dict, repr=False, compare=False)

    def first(self, name: str) -> str | None:
        """The raw value of the first field of that (lower-case) name, or None."""
        values = self.fields.get(name)
        return values[0] if values else None

    @cached_property
    def leaves(self) -> tuple[Leaf, ...]:
        """Its parts that are not taken apart further, in order."""
        return tuple(walk(self.part))

    @property
    def addresses(self) -> Mapping[AddressHeader, tuple[Address, ...]]:
        """The addresses of each address field that is present; groups flattened."""
        return self._people[0]

    @cached_property
    def _people(self) -> tuple[Mapping[AddressHeader, tuple[Address, ...]], bool]:
        """The addresses that are looked into, and whether there are more."""
        addresses: dict[AddressHeader, tuple[Address, ...]] = {}
        left, more = MOST_ADDRESSES, False
        for header, name in ADDRESS_HEADERS.items():
            values = self.fields.get(name)
            if values is not None:
                every: list[Address] = []
                for value in values:
                    every += parse_addresses(value)
                    if len(every) > left:
                        break
                addresses[header] = tuple(every[:left])
                more = more or len(every) > left
                left -= len(addresses[header])
        return addresses, more

    @cached_property
    def subject(self) -> str | None:
        """The decoded Subject, or None where there is no such field."""
        value = self.first("subject")
        return None if value is None else decode_unstructured(value)

    @property
    def body(self) -> str:
        """The text that a reader sees, of every alternative, as far as it is looked into."""
        return self._read[0]

    @cached_property
    def _read(self) -> tuple[str, tuple[str, ...]]:
        """The body, and the limits that were met while it was read."""
        texts: list[str] = []
        met: list[str] = []
        left, html_left = MOST_TEXT, MOST_HTML
        for leaf, decoded in self._decoded():
            if _is_html(leaf):
                bounded = bounded_html(decoded)
                met += [bounded.note] if bounded.note else []
                text = text_of_html(bounded)
                html_left -= len(decoded)
            else:
                text = plain_text(leaf, decoded)
            shown = text[: end_of_text(text, left)]
            texts.append(shown)
            left -= len(shown)
            if len(shown) < len(text) or html_left < 0:
                met.append(f"its text is looked into as far as character {MOST_TEXT - left:,}")
                break
        return "\n".join(texts), tuple(met)

    @cached_property
    def message_id(self) -> str | None:
        """The Message-ID as it stands in the message, or None."""
        value = self.first("message-id")
        return decode_unstructured(value) or None if value is not None else None

    @cached_property
    def sent(self) -> datetime | None:
        """The Date field, in UTC."""
        return _date(self.first("date"))

    @cached_property
    def received(self) -> datetime | None:
        """When it was received: what the way in knows, in UTC.

        Where it knows nothing, the first Received field (RFC 5321, 4.4) with a readable date.
        """
        if self.receipt is not None:
            return self.receipt
        for value in self.fields.get("received", ()):
            if date := _date(without_comments(unfold(value)).rpartition(";")[2]):
                return date
        return None if self.file_time is None else self.sent or self.file_time

    @cached_property
    def size(self) -> int:
        """Octets as transmitted, with CRLF line ends (RFC 5228, section 5.9)."""
        bare = self.octets.count(b"\n") - self.octets.count(b"\r\n")
        return len(self.octets) + bare

    def received_at(self, receipt: datetime) -> "ParsedMessage":
        """The same message, received at that time: every condition on its receipt looks at it.

        Whole seconds, as the mailbox keeps them, so that a rule finds the same later.
        """
        return replace(self, receipt=receipt.replace(microsecond=0))

    def header(self, name: str) -> tuple[str, ...]:
        """Every occurrence of a header field, unfolded and decoded; the name in any case."""
        key = name.lower()
        # Fields of addresses hold quoted strings, in which encoded words count, too.
        decode = _decode_addresses if key in _ADDRESS_FIELDS else decode_unstructured
        return tuple(map(decode, self.fields.get(key, ())))

    @cached_property
    def return_path(self) -> str | None:
        """The return path; empty where it is the null path, None where nothing is said of it."""
        return self.envelope.sender

    @cached_property
    def kind(self) -> Kind:
        """What kind of mail it is, and why."""
        return kind_of(self)

    @cached_property
    def priority(self) -> Priority:
        """What its writer said of its importance."""
        return priority_of(self)

    @cached_property
    def list_id(self) -> str | None:
        """The identifier of List-Id: what stands between its angle brackets (RFC 2919)."""
        value = self.first("list-id")
        if value is None:
            return None
        text = decode_unstructured(value)
        match = _IN_BRACKETS.search(without_comments(text).rstrip())
        match = match or _IN_BRACKETS.search(text.rstrip())
        return (match[1] if match else text).strip() or None

    @cached_property
    def attachments(self) -> tuple[Attachment, ...]:
        """The attachments in order."""
        return attachments(self.leaves)

    @cached_property
    def notes(self) -> tuple[str, ...]:
        """What was wrong with the mail, each thing once, in words."""
        limits = [*self.limits_met, *self._read[1]]
        if self._people[1]:
            limits.append(f"looked into as far as {MOST_ADDRESSES:,} addresses")
        for leaf in (self.part, *(leaf.part for leaf in self.leaves)):
            limits += [str(type(defect).__doc__).rstrip(".") for defect in leaf.defects]
        limits += [
            f"unknown charset {charset}, read by best guess"
            for leaf in text_leaves(self.leaves)
            if (charset := leaf.parameter("charset")) and not is_known(charset)
        ]
        if "from" not in self.fields:
            limits.append("no From field (RFC 5322, section 3.6, asks for one)")
        return tuple(dict.fromkeys(limits))

    @cached_property
    def plain_text(self) -> str | None:
        """The text of the plain parts, or None where there is none."""
        texts = [
            plain_text(leaf, decoded) for leaf, decoded in self._decoded() if not _is_html(leaf)
        ]
        return "\n".join(texts)[:MOST_TEXT] if texts else None

    @cached_property
    def html(self) -> str | None:
        """The HTML parts as they stand (not made safe), or None where there is none."""
        parts = [decoded for leaf, decoded in self._decoded() if _is_html(leaf)]
        return "\n".join(parts) if parts else None

    def _decoded(self) -> Iterator[tuple[Leaf, str]]:
        for number, leaf in enumerate(text_leaves(self.leaves)):
            yield leaf, decoded_text(leaf, guess=number < MOST_GUESSES)


_ADDRESS_FIELDS = frozenset(ADDRESS_HEADERS.values())

# The identifier comes last (RFC 2919, section 3); a quoted description may hold brackets, too.
_IN_BRACKETS = re.compile(r"<([^<>]*)>\Z")


def _decode_addresses(value: str) -> str:
    return decode_phrase(raw_text(unfold(value)))


def _is_html(leaf: Leaf) -> bool:
    return leaf.media_type == "text/html"


def _without_obsolete_forms(value: str) -> str:
    """A date without comments, and without white space around colons and before commas.

    RFC 5322, sections 3.2.2 and 4.3.
    """
    bare = without_comments(unfold(value))
    for sign in ":,":
        first, *others = (part.strip() for part in bare.split(sign))
        bare = (sign if sign == ":" else ", ").join([first, *others])
    return bare


def _date(value: str | None) -> datetime | None:
    if not value:
        return None
    try:
        date = parsedate_to_datetime(_without_obsolete_forms(value))
        return date.astimezone(UTC) if date.tzinfo else date.replace(tzinfo=UTC)
    except (ValueError, TypeError, IndexError, OverflowError):
        return None


def parse_message(
    octets: bytes, envelope: Envelope | None = None, *, file_time: datetime | None = None
) -> ParsedMessage:
    """Parse a message; never raises, whatever the octets are.

    Without an ``envelope``, the return path is that of the first Return-Path field. With a
    ``file_time``, a message without a readable Received field was received at its Date, or else
    at that time.
    """
    return _parsed(octets, *read_parts(octets), envelope, file_time)


def _parsed(
    octets: bytes,
    part: Part,
    limits_met: tuple[str, ...],
    envelope: Envelope | None = None,
    file_time: datetime | None = None,
) -> ParsedMessage:
    fields: dict[str, list[str]] = {}
    for name, value in part.raw_items():
        fields.setdefault(name.strip().lower(), []).append(str(value))
    if envelope is None:
        return_path = fields.get("return-path")
        addresses = parse_addresses(return_path[0]) if return_path else ()
        envelope = Envelope(
            sender=(addresses[0].address if addresses else "") if return_path else None
        )
    return ParsedMessage(octets, envelope, part, fields, file_time, limits_met=limits_met)


#: The envelope and the part of a message of which only one field is read.
_NO_ENVELOPE, _NO_PART = Envelope(), Part()


def parse_header(octets: bytes, only: str | None = None) -> ParsedMessage:
    """A message as ``parse_message`` has it, but for its text and parts: those are left out.

    For conditions on header fields, of which the header alone is read (RFC 5322, section 2.1). With
    ``only``, a name, nothing is known but the fields of that name.
    """
    name = None if only is None else only.lower()
    values = None if name is None else values_of_field(octets, name)
    if name is None or values is None:
        return _parsed(octets, *read_header(octets))
    return ParsedMessage(octets, _NO_ENVELOPE, _NO_PART, {name: values} if values else {})


def looks_like_mail(octets: bytes) -> bool:
    """Whether octets begin as a message does: header fields, one of them a telling one.

    Broken mail passes as soon as one usual field can be read in its first lines; pictures,
    archives and prose don't.
    """
    for line in octets[:65_536].splitlines():
        match = _FIELD_NAME.match(line)
        if match and match.group()[:-1].strip().lower() in _TELLING_FIELDS:
            return True
        if not line.strip():
            return False
    return False
