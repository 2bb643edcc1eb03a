"""The parts of a message: which are attachments, and the text of those that are read.

RFC 2045 to 2046 (MIME), RFC 2183 (Content-Disposition), RFC 2231 (file names), RFC 3676
(format=flowed). What counts as an attachment is in the rule document, "Headers and attachments".
"""

import quopri
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from mnemic.core.bounds import MOST_TEXT
from mnemic.core.message.charsets import decode_octets
from mnemic.core.message.header_text import decode_phrase, raw_text
from mnemic.core.message.html_text import charset_in_html
from mnemic.core.message.mime_reading import Part
from mnemic.core.message.structured import keyword, parameter
from mnemic.core.message.view import Attachment

__all__ = [
    "Leaf",
    "Part",
    "attachments",
    "decoded_text",
    "payload_octets",
    "plain_text",
    "text_leaves",
    "walk",
]

_SIGNATURES = frozenset(
    {
        "application/pgp-signature",
        "application/pkcs7-signature",
        "application/x-pkcs7-signature",
    }
)


@dataclass(frozen=True, slots=True)
class Leaf:
    """A part that is not taken apart further, with what its header says of it, read once.

    ``media_type`` is in lower case; ``type_field`` and ``disposition_field`` are the raw
    Content-Type and Content-Disposition, empty where there is none; an attached message is one
    leaf.
    """

    part: Part
    media_type: str
    type_field: str
    disposition_field: str
    attached: bool

    def parameter(self, name: str) -> str:
        """A parameter of Content-Type, empty where it is missing."""
        return parameter(self.type_field, name) if ";" in self.type_field else ""

    @property
    def file_name(self) -> str:
        """Its file name, empty where it has none."""
        return _file_name(self.disposition_field, self.type_field)


def _file_name(disposition_field: str, type_field: str) -> str:
    """A file name (RFC 2183, 2231; encoded words too, as is common practice), or ""."""
    for field, name in ((disposition_field, "filename"), (type_field, "name")):
        if ";" in field and (value := parameter(field, name)):
            return decode_phrase(raw_text(value)).strip()
    return ""


def _media_type(type_field: str, part: Part) -> str:
    """RFC 2045, section 5.2: what can't be read is text/plain; parts of a digest are messages."""
    media_type = keyword(type_field)
    if not type_field:
        return part.get_default_type()
    return media_type if media_type.count("/") == 1 else "text/plain"


def _leaf(part: Part, parent_type: str, *, first: bool) -> Leaf:
    type_field = disposition_field = ""
    for name, value in part.raw_items():
        key = name.lower()
        if key == "content-type" and not type_field:
            type_field = raw_text(str(value))
        elif key == "content-disposition" and not disposition_field:
            disposition_field = raw_text(str(value))
    disposition = keyword(disposition_field)
    media_type = _media_type(type_field, part)
    main = media_type.partition("/")[0]
    if disposition == "attachment" or media_type == "message/rfc822":
        attached = True
    elif main == "text":
        named = bool(_file_name(disposition_field, type_field))
        attached = named and disposition != "inline"
    else:
        embedded = parent_type == "multipart/related" and not first
        attached = main != "multipart" and media_type not in _SIGNATURES and not embedded
    return Leaf(part, media_type, type_field, disposition_field, attached)


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


def _transfer_encoding(part: Part) -> str:
    """The transfer encoding in lower case, without comments (RFC 2045, section 6.1)."""
    for name, value in part.raw_items():
        if name.lower() == "content-transfer-encoding":
            return keyword(str(value))
    return ""


def _as_encoded(part: Part, encoding: str) -> Part:
    """A part that the library can decode: it reads a transfer encoding without comments alone."""
    if str(part.get("content-transfer-encoding", "")).strip().lower() == encoding:
        return part
    bare = Part()
    bare["content-transfer-encoding"] = encoding
    bare.set_payload(part.get_payload())
    return bare


def _as_it_stands(part: Part) -> object:
    """What a part holds; the library's own way to it goes through the header once more."""
    return part._payload  # type: ignore[attr-defined] # without a stub


def _encoded(part: Part) -> bytes:
    """The content of a leaf as it was transmitted."""
    payload = _as_it_stands(part)
    text = payload if isinstance(payload, str) else ""
    return text.encode("utf-8", "surrogateescape")


_SPACE_MAY_END_LINE = (b" \n", b"\t\n", b" \r", b"\t\r")
_SPACE_BEFORE_LINE_END = re.compile(rb"(?<![ \t])[ \t]++(?=\r?(?:\n|\Z))")


def _from_quoted_printable(octets: bytes) -> bytes:
    """Decode; white space at the end of a line was put there on the way (RFC 2045, 6.7, rule 3).

    So a soft line break may have some behind it, too.
    """
    if any(sign in octets for sign in _SPACE_MAY_END_LINE) or octets[-1:] in (b" ", b"\t"):
        octets = _SPACE_BEFORE_LINE_END.sub(b"", octets)
    return quopri.decodestring(octets)


def payload_octets(part: Part) -> bytes:
    """The content of a leaf, decoded by transfer encoding; an attached message as it stands."""
    try:
        if part.is_multipart():
            children = part.get_payload()
            inner = children if isinstance(children, list) else []
            return b"\r\n".join(child.as_bytes() for child in inner if isinstance(child, Part))
        encoding = _transfer_encoding(part)
        if encoding == "quoted-printable":
            return _from_quoted_printable(_encoded(part))
        octets = _as_encoded(part, encoding).get_payload(decode=True)
        return octets if isinstance(octets, bytes) else b""
    except (LookupError, ValueError, TypeError, AttributeError, RecursionError):
        return b""  # a header that the standard library stumbles over; nothing can be shown


def _size(part: Part) -> int:
    """Octets of a leaf's content; of base64 they are counted without decoding it."""
    if part.is_multipart() or _transfer_encoding(part) != "base64":
        return len(payload_octets(part))
    payload = part.get_payload()
    text = payload.rstrip() if isinstance(payload, str) else ""
    letters = len(text) - text.count("\n") - text.count("\r") - text.count(" ")
    return letters * 3 // 4 - text[-2:].count("=")


def attachments(leaves: Iterable[Leaf]) -> tuple[Attachment, ...]:
    """The attachments in order."""
    return tuple(
        Attachment(leaf.file_name, leaf.media_type, _size(leaf.part))
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


#: Octets of a text that are decoded: four make a character of UTF-8, three one of quoted-printable.
_MOST_ENCODED = 6 * MOST_TEXT
_MOST_OCTETS = 4 * MOST_TEXT


def _text_octets(part: Part) -> bytes:
    """The content of a text part, decoded by transfer encoding, as far as it is looked into."""
    payload = _as_it_stands(part)
    if isinstance(payload, str) and len(payload) > _MOST_ENCODED:
        end = payload.rfind("\n", 0, _MOST_ENCODED) + 1  # base64 goes by lines
        shortened = Part()
        shortened["content-transfer-encoding"] = _transfer_encoding(part)
        shortened.set_payload(payload[: end or _MOST_ENCODED])
        part = shortened
    octets = payload_octets(part)
    end = _MOST_OCTETS
    while end < len(octets) and end > _MOST_OCTETS - 4 and octets[end] & 0xC0 == 0x80:
        end -= 1  # no character of UTF-8 is cut in two
    return octets[:end]


def decoded_text(leaf: Leaf, *, guess: bool = True) -> str:
    """A text part's content, decoded by transfer encoding and charset; HTML is still HTML.

    Without ``guess`` a charset that is not known is taken for the commonest.
    """
    octets = _text_octets(leaf.part)
    charset = _CHARSET_QUOTES.sub("", leaf.parameter("charset"))
    if not charset and leaf.media_type == "text/html":
        charset = charset_in_html(octets) or ""
    return decode_octets(octets, charset, guess=guess)


def plain_text(leaf: Leaf, decoded: str) -> str:
    """The text a reader sees of a part of plain text, of which this is the content."""
    if "flowed" in leaf.type_field.lower() and leaf.parameter("format").lower() == "flowed":
        return _unflow(decoded, delete_space=leaf.parameter("delsp").lower() == "yes")
    return decoded
