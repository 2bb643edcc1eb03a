"""The parts of a message: which are attachments, and the text of those that are read.

RFC 2045 to 2046 (MIME), RFC 2183 (Content-Disposition), RFC 2231 (file names), RFC 3676
(format=flowed). What counts as an attachment is in the rule document, "Headers and attachments".
"""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from email.message import Message as MimePart
from email.utils import collapse_rfc2231_value
from typing import TypeAlias

from mnemic.core.charsets import decode_octets
from mnemic.core.header_text import decode_phrase, raw_text, unfold
from mnemic.core.html_text import charset_in_html, html_to_text
from mnemic.core.message import Attachment

__all__ = [
    "Leaf",
    "Part",
    "attachments",
    "decoded_text",
    "leaf_text",
    "payload_octets",
    "text_leaves",
    "walk",
]

Part: TypeAlias = MimePart

_SIGNATURES = frozenset(
    {
        "application/pgp-signature",
        "application/pkcs7-signature",
        "application/x-pkcs7-signature",
    }
)


def file_name(part: Part) -> str:
    """A part's file name (RFC 2183, 2231; encoded words too, as is common practice), or ""."""
    for parameter, header in (("filename", "content-disposition"), ("name", "content-type")):
        value = part.get_param(parameter, header=header)
        if value is not None:
            return decode_phrase(raw_text(unfold(collapse_rfc2231_value(value)))).strip()
    return ""


@dataclass(frozen=True, slots=True)
class Leaf:
    """A part that is not taken apart further, with what its header says of it, read once.

    ``media_type`` is in lower case; ``type_field`` is the raw Content-Type, empty where there is
    none; an attached message is one leaf.
    """

    part: Part
    media_type: str
    type_field: str
    attached: bool

    def parameter(self, name: str) -> str:
        """A parameter of Content-Type, empty where it is missing."""
        if ";" not in self.type_field:
            return ""
        return str(collapse_rfc2231_value(self.part.get_param(name) or ""))


def _media_type(type_field: str, part: Part) -> str:
    """RFC 2045, section 5.2: what can't be read is text/plain; parts of a digest are messages."""
    media_type = type_field.partition(";")[0].strip().lower()
    if not type_field:
        return part.get_default_type()
    return media_type if media_type.count("/") == 1 else "text/plain"


def _leaf(part: Part, parent_type: str, *, first: bool) -> Leaf:
    type_field = disposition = ""
    for name, value in part.raw_items():
        key = name.lower()
        if key == "content-type" and not type_field:
            type_field = str(value)
        elif key == "content-disposition" and not disposition:
            disposition = str(value).partition(";")[0].strip().lower()
    media_type = _media_type(type_field, part)
    main = media_type.partition("/")[0]
    if disposition == "attachment" or media_type == "message/rfc822":
        attached = True
    elif main == "text":
        named = bool(disposition or ";" in type_field) and bool(file_name(part))
        attached = named and disposition != "inline"
    else:
        embedded = parent_type == "multipart/related" and not first
        attached = main != "multipart" and media_type not in _SIGNATURES and not embedded
    return Leaf(part, media_type, type_field, attached)


def walk(root: Part) -> Iterator[Leaf]:
    """Every leaf of a message in order."""
    stack: list[tuple[Part, str, bool]] = [(root, "", True)]
    while stack:
        part, parent_type, first = stack.pop()
        leaf = _leaf(part, parent_type, first=first)
        # Asked of a leaf, get_payload would decode it only to be thrown away.
        children = part.get_payload() if part.is_multipart() else None
        if isinstance(children, list) and not leaf.attached:
            stack.extend(
                (child, leaf.media_type, number == 0)
                for number, child in reversed(list(enumerate(children)))
                if isinstance(child, Part)
            )
        else:
            yield leaf


def payload_octets(part: Part) -> bytes:
    """The content of a leaf, decoded by transfer encoding; an attached message as it stands."""
    try:
        if part.is_multipart():
            children = part.get_payload()
            inner = children if isinstance(children, list) else []
            return b"\r\n".join(child.as_bytes() for child in inner if isinstance(child, Part))
        octets = part.get_payload(decode=True)
        return octets if isinstance(octets, bytes) else b""
    except (LookupError, ValueError, TypeError, AttributeError, RecursionError):
        return b""  # a header that the standard library stumbles over; nothing can be shown


def _size(part: Part) -> int:
    """Octets of a leaf's content; of base64 they are counted without decoding it."""
    if (
        part.is_multipart()
        or str(part.get("content-transfer-encoding")).strip().lower() != "base64"
    ):
        return len(payload_octets(part))
    payload = part.get_payload()
    text = payload.rstrip() if isinstance(payload, str) else ""
    letters = len(text) - text.count("\n") - text.count("\r") - text.count(" ")
    return letters * 3 // 4 - text[-2:].count("=")


def attachments(leaves: Iterable[Leaf]) -> tuple[Attachment, ...]:
    """The attachments in order."""
    return tuple(
        Attachment(file_name(leaf.part), leaf.media_type, _size(leaf.part))
        for leaf in leaves
        if leaf.attached
    )


def text_leaves(leaves: Iterable[Leaf]) -> Iterator[Leaf]:
    """The text/plain and text/html parts that are not attachments, all alternatives included.

    A multipart without a usable boundary has no parts: what it holds is read as it stands.
    """
    for leaf in leaves:
        readable = leaf.media_type in ("text/plain", "text/html")
        if not leaf.attached and (readable or leaf.media_type.startswith("multipart/")):
            yield leaf


def _unflow(text: str, *, delete_space: bool) -> str:
    """Join the lines of format=flowed (RFC 3676, sections 4.1 to 4.5)."""
    paragraphs: list[list[str]] = []
    depth_before, flowing = 0, False
    for line in text.splitlines():
        content = line.lstrip(">")
        depth = len(line) - len(content)
        content = content.removeprefix(" ")  # space-stuffing
        goes_on = flowing and depth == depth_before
        flowing = content.endswith(" ") and content != "-- "  # a signature mark stands alone
        piece = content[:-1] if flowing and delete_space else content
        if goes_on:
            paragraphs[-1].append(piece)
        else:
            paragraphs.append([piece])
        depth_before = depth
    return "\n".join(map("".join, paragraphs))


_CHARSET_QUOTES = re.compile(r"[\"'\s]")


def decoded_text(leaf: Leaf) -> str:
    """A text part's content, decoded by transfer encoding and charset; HTML is still HTML."""
    octets = payload_octets(leaf.part)
    charset = _CHARSET_QUOTES.sub("", leaf.parameter("charset"))
    if not charset and leaf.media_type == "text/html":
        charset = charset_in_html(octets) or ""
    return decode_octets(octets, charset)


def leaf_text(leaf: Leaf) -> str:
    """The text a reader sees of one text part."""
    text = decoded_text(leaf)
    if leaf.media_type == "text/html":
        return html_to_text(text)
    if "flowed" in leaf.type_field.lower() and leaf.parameter("format").lower() == "flowed":
        return _unflow(text, delete_space=leaf.parameter("delsp").lower() == "yes")
    return text
