"""The parts of a message: which are attachments, and the text of those that are read.

RFC 2045 to 2046 (MIME), RFC 2183 (Content-Disposition), RFC 2231 (file names), RFC 3676
(format=flowed). What counts as an attachment is in the rule document, "Headers and attachments".
"""

import re
from collections.abc import Iterator
from email.message import Message as MimePart
from email.utils import collapse_rfc2231_value
from typing import TypeAlias

from mnemic.core.charsets import decode_octets
from mnemic.core.header_text import decode_phrase, raw_text, unfold
from mnemic.core.html_text import charset_in_html, html_to_text
from mnemic.core.message import Attachment

__all__ = ["Part", "attachments", "decoded_text", "part_text", "text_parts", "walk"]

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


def _disposition(part: Part) -> str:
    return (part.get_content_disposition() or "").strip()


def _is_attachment(part: Part, parent: Part | None) -> bool:
    media_type, disposition = part.get_content_type(), _disposition(part)
    if disposition == "attachment" or media_type == "message/rfc822":
        return True
    if part.get_content_maintype() == "text":
        return bool(disposition != "inline" and file_name(part))
    if part.get_content_maintype() == "multipart" or media_type in _SIGNATURES:
        return False
    embedded = parent is not None and parent.get_content_type() == "multipart/related"
    return not (embedded and parent is not None and parent.get_payload(0) is not part)


def walk(root: Part) -> Iterator[tuple[Part, bool]]:
    """Every leaf of a message in order, and whether it is an attachment (attached messages are)."""
    stack: list[tuple[Part, Part | None]] = [(root, None)]
    while stack:
        part, parent = stack.pop()
        attached = _is_attachment(part, parent)
        children = part.get_payload()
        if isinstance(children, list) and not attached:
            stack.extend((child, part) for child in reversed(children) if isinstance(child, Part))
        else:
            yield part, attached


def _size(part: Part) -> int:
    octets = part.get_payload(decode=True)
    if isinstance(octets, bytes):
        return len(octets)
    children = part.get_payload()
    return sum(len(str(child)) for child in children) if isinstance(children, list) else 0


def attachments(root: Part) -> tuple[Attachment, ...]:
    """The attachments of a message in order."""
    return tuple(
        Attachment(file_name(part), part.get_content_type(), _size(part))
        for part, attached in walk(root)
        if attached
    )


def text_parts(root: Part) -> Iterator[Part]:
    """The text/plain and text/html parts that are not attachments, all alternatives included."""
    for part, attached in walk(root):
        # A multipart without a usable boundary has no parts: what it holds is read as it stands.
        unparted = part.get_content_maintype() == "multipart"
        if not attached and (unparted or part.get_content_type() in {"text/plain", "text/html"}):
            yield part


def _unflow(text: str, *, delete_space: bool) -> str:
    """Join the lines of format=flowed (RFC 3676, sections 4.1 to 4.5)."""
    lines: list[str] = []
    depth_before, flowing = 0, False
    for line in text.splitlines():
        content = line.lstrip(">")
        depth = len(line) - len(content)
        content = content.removeprefix(" ")  # space-stuffing
        if flowing and depth == depth_before:
            lines[-1] += content
        else:
            lines.append(content)
        flowing = content.endswith(" ") and content != "-- "  # a signature mark stands alone
        if flowing and delete_space:
            lines[-1] = lines[-1][:-1]
        depth_before = depth
    return "\n".join(lines)


_CHARSET_QUOTES = re.compile(r"[\"'\s]")


def decoded_text(part: Part) -> str:
    """A text part's content, decoded by transfer encoding and charset; HTML is still HTML."""
    octets = part.get_payload(decode=True)
    if not isinstance(octets, bytes):
        return ""
    charset = _CHARSET_QUOTES.sub("", str(collapse_rfc2231_value(part.get_param("charset") or "")))
    if not charset and part.get_content_type() == "text/html":
        charset = charset_in_html(octets) or ""
    return decode_octets(octets, charset)


def part_text(part: Part) -> str:
    """The text a reader sees of one text part."""
    text = decoded_text(part)
    if part.get_content_type() == "text/html":
        return html_to_text(text)
    if str(part.get_param("format") or "").lower() == "flowed":
        return _unflow(text, delete_space=str(part.get_param("delsp") or "").lower() == "yes")
    return text
