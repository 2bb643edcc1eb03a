"""Octets to parts within bounds (RFC 5322, RFC 2045 to 2046): the library's parser, held back.

It takes apart whatever it is given, for as long and as large as it grows. What lies beyond the
limits of ``mnemic.core.bounds`` is kept in the octets and told, and not looked into.
"""

import re
from collections import deque
from collections.abc import Callable
from email.feedparser import BufferedSubFile  # type: ignore[attr-defined] # without a stub
from email.message import Message as MimePart
from email.parser import BytesFeedParser
from email.policy import compat32
from functools import cached_property, lru_cache
from typing import Any, TypeAlias

from mnemic.core.bounds import (
    MOST_FIELD,
    MOST_FIELDS,
    MOST_HEADER,
    MOST_HEADER_LINES,
    MOST_LINES,
    MOST_PARTS,
    MOST_PARTS_DEEP,
)
from mnemic.core.message.header_text import raw_text
from mnemic.core.message.structured import parameter

__all__ = ["Part", "header_end", "read_header", "read_parts", "values_of_field"]

Part: TypeAlias = MimePart

#: Octets handed to the library at a time: what a limit comes too late for is no more than this.
_SLICE = 16_384

#: Down to so many levels a line costs about the same; further down it counts for more.
_SHALLOW = 4

_DEEP = f"parts nested deeper than {MOST_PARTS_DEEP} levels are read as one text"
_LONG_FIELD = f"a header field is looked into as far as {MOST_FIELD:,} characters"
_LONG_HEADER = (
    f"a header is looked into as far as {MOST_FIELDS:,} fields, {MOST_HEADER_LINES:,} lines"
    f" or {MOST_HEADER:,} characters"
)


class BoundedPart(MimePart):
    """A part that keeps of its header what the limits allow, and that may be too deep to be read.

    Its boundary is read in step with its field's length, and in spite of comments.
    """

    is_too_deep = is_kept_whole = False

    def get_content_maintype(self) -> str:
        """The first half of the media type, by which the library's parser takes parts apart."""
        maintype = super().get_content_maintype()
        if self.is_too_deep and maintype in ("multipart", "message"):
            self.is_kept_whole = True
            return "text"
        return maintype

    @cached_property
    def boundary(self) -> str:
        """The boundary of a multipart (RFC 2046, section 5.1.1), "" where it has none.

        It is asked for with each of the parts between, whose header was read before.
        """
        field = next((str(v) for k, v in self.raw_items() if k.lower() == "content-type"), "")
        return parameter(raw_text(field), "boundary").rstrip()

    def get_boundary(self, failobj: Any = None) -> Any:
        """The boundary, or ``failobj``, by which the library's parser takes parts apart."""
        return self.boundary or failobj


def _begin_of(field: str) -> str:
    """As much of a field as is looked into; no character of UTF-8 is cut in two."""
    first = end = field.find(":") + 1 + MOST_FIELD
    while first - 4 < end < len(field) and "\udc80" <= field[end] <= "\udcbf":
        end -= 1
    return field[:end]


def _within_limits(lines: list[str]) -> tuple[list[str], list[str]]:
    """A long header as far as it is looked into, a field in each line; and the limits it met."""
    met = [_LONG_HEADER] if len(lines) > MOST_HEADER_LINES else []
    fields: list[list[str]] = []
    for line in lines[:MOST_HEADER_LINES]:
        if fields and line[0] in " \t":
            fields[-1].append(line)
        else:
            fields.append([line])
    kept: list[str] = []
    left = MOST_HEADER
    for field in map("".join, fields):
        begin = _begin_of(field.rstrip("\r\n"))
        if len(begin) < len(field.rstrip("\r\n")):
            met.append(_LONG_FIELD)
        left -= len(begin)
        if left < 0 or len(kept) == MOST_FIELDS:
            met.append(_LONG_HEADER)
            break
        kept.append(begin)
    return kept, met


class _Lines(BufferedSubFile):  # type: ignore[misc] # without a stub
    """Lines as the library's parser takes them, which asks the patterns of all levels about each.

    Only what may be a boundary (RFC 2046, section 5.1.1), or is empty, is asked about.
    """

    _lines: deque[str]  # as the library calls those that wait

    def __init__(self, boundary: Callable[[], str]) -> None:
        """``boundary`` is that of the part for which a pattern is added."""
        super().__init__()
        self._boundary = boundary
        self._separators: list[str] = []

    def push_eof_matcher(self, pred: Callable[[str], object]) -> None:
        self._separators.append(f"--{self._boundary()}")
        super().push_eof_matcher(pred)

    def pop_eof_matcher(self) -> Callable[[str], object]:
        self._separators.pop()
        pattern: Callable[[str], object] = super().pop_eof_matcher()
        return pattern

    def readline(self) -> Any:
        lines, separators = self._lines, self._separators
        if lines and not (separators and lines[0][:1] in "-\r\n" and self._may_end(lines[0])):
            return lines.popleft()
        return super().readline()

    def _may_end(self, line: str) -> bool:
        bare, separators = line.rstrip(), self._separators
        if not bare:  # also what the parser puts back at the end
            return True
        return bare in separators or (bare.endswith("--") and bare[:-2] in separators)


class _BoundedParser(BytesFeedParser):
    """Counts parts, and takes them apart down to a depth."""

    # What the library calls its parts, and how it begins one.
    _cur: BoundedPart
    _msgstack: list[BoundedPart]
    parts = 0

    def __init__(self) -> None:
        super().__init__(BoundedPart, policy=compat32)
        self._input = _Lines(lambda: self._cur.boundary)
        self.limits_met: list[str] = []
        self._deep: list[BoundedPart] = []

    def _parse_headers(self, lines: list[str]) -> None:
        if len(lines) > MOST_FIELDS or sum(map(len, lines)) > MOST_FIELD:  # hardly ever
            lines, met = _within_limits(lines)
            self.limits_met += met
        super()._parse_headers(lines)  # type: ignore[misc] # the library's own, without a stub

    def _new_message(self) -> None:
        super()._new_message()  # type: ignore[misc]
        self.parts += 1
        if len(self._msgstack) > MOST_PARTS_DEEP:
            self._cur.is_too_deep = True
            self._deep.append(self._cur)

    def message(self) -> tuple[Part, list[str]]:
        """The message, and the limits that were met."""
        root = self.close()
        deep = [_DEEP] if any(part.is_kept_whole for part in self._deep) else []
        return root, [*self.limits_met, *deep]


# RFC 5322, section 4.5: white space may stand between a field's name and its colon.
_OBSOLETE_SPACE = re.compile(rb"^([!-9;-~]+)[ \t]+:", re.MULTILINE)

# The same of a part's fields: those of MIME (RFC 2045, section 3), right behind a boundary's line.
_PART_HEADER = re.compile(
    rb"^--[^\r\n]+\r?\n(?:[!-9;-~]+[ \t]*:[^\r\n]*\r?\n(?:[ \t][^\r\n]*\r?\n)*)+", re.MULTILINE
)
_OBSOLETE_MIME_SPACE = re.compile(rb"^(Content-[!-9;-~]+)[ \t]+:", re.MULTILINE | re.IGNORECASE)


def _without_obsolete_space(octets: bytes) -> bytes:
    """The message with field names right before their colons, as the library wants them."""
    if b" :" not in octets and b"\t:" not in octets:  # most often
        return octets
    if _OBSOLETE_MIME_SPACE.search(octets):  # hardly ever
        octets = _PART_HEADER.sub(
            lambda head: _OBSOLETE_MIME_SPACE.sub(rb"\1:", head.group()), octets
        )
    # An empty line ends the header.
    ends = (octets.find(empty_line) for empty_line in (b"\n\n", b"\n\r\n"))
    size = min([end for end in ends if end >= 0] + [2 * MOST_HEADER])  # no more is looked into
    head = octets[:size]
    return _OBSOLETE_SPACE.sub(rb"\1:", head) + octets[size:]


def _lines(octets: bytes) -> int:
    """Line ends of every kind: the library takes a bare CR for one, too."""
    both = octets.count(b"\r\n")
    return octets.count(b"\n") + octets.count(b"\r") - both


#: A line end and an empty line, which ends a header; the library takes a bare CR for one, too.
_EMPTY_LINES = (b"\n\n", b"\n\r", b"\r\r")


def header_end(octets: bytes) -> int | None:
    """Behind the empty line at which a header ends; None where there is none yet."""
    if b"\r" not in octets:  # a third of the time
        end = octets.find(b"\n\n")
        return end + 2 if end >= 0 else None
    ends = [end for empty_line in _EMPTY_LINES if (end := octets.find(empty_line)) >= 0]
    return min(ends) + 2 if ends else None


def read_header(octets: bytes) -> tuple[Part, tuple[str, ...]]:
    """As ``read_parts``, but for the parts: of the message its header alone is read."""
    parser = _BoundedParser()
    parser._set_headersonly()  # type: ignore[attr-defined] # as the library's HeaderParser does
    return _read(parser, octets[: header_end(octets)])


#: Behind a line end, what is none of a field’s name, the next line of a value, and the end (RFC
#: 5322, section 2.2). What such a header says only the library’s parser can tell.
_NO_FIELD = re.compile(rb"\n(?![!-9;-~]++:|[ \t]|\Z)")


def _is_plain(header: bytes) -> bool:
    """Whether a header, from the line end before it on, is written as almost all are."""
    return (
        len(header) <= MOST_FIELD
        and (len(header) <= MOST_FIELDS or header.count(b"\n") <= MOST_FIELDS)
        and header.endswith(b"\n")
        and header[1:2] not in (b" ", b"\t")
        and (b"\r" not in header or header.count(b"\r") == header.count(b"\r\n"))
        and not _NO_FIELD.search(header)
    )


@lru_cache(maxsize=256)
def _field_of(name: str) -> re.Pattern[bytes]:
    """Finds the raw values of a field's occurrences, in however many lines each stands."""
    value = rb"[ \t]*+([^\r\n]*+(?:\r?\n[ \t][^\r\n]*+)*+)"
    return re.compile(rb"\n%b:%b" % (re.escape(name).encode("ascii"), value), re.IGNORECASE)


def values_of_field(octets: bytes, name: str) -> list[str] | None:
    """The raw values of all fields of a name, in any case, as ``read_header`` tells them.

    To look for one field takes a tenth of the time that it takes to read them all. None where the
    header is not as plain as almost all are.
    """
    header = b"\n" + octets
    if header.endswith(b"\n\n"):
        header = header[:-1]  # an empty line before the last one is no field
    elif end := header_end(header):
        header = header[: end - 1]  # without the empty line
    if not _is_plain(header):
        return None
    values = _field_of(name).findall(header)
    return [value.decode("ascii", "surrogateescape") for value in values]


def read_parts(octets: bytes) -> tuple[Part, tuple[str, ...]]:
    """A message as its parts, and what it was looked into no further than; never raises."""
    return _read(_BoundedParser(), octets)


def _read(parser: _BoundedParser, octets: bytes) -> tuple[Part, tuple[str, ...]]:
    prepared = _without_obsolete_space(octets)
    if len(prepared) <= _SLICE:
        parser.feed(prepared)
        beyond = ""
    else:
        beyond = _feed(parser, prepared)
    root, met = parser.message()
    return root, tuple(dict.fromkeys([beyond, *met] if beyond else met))


def _feed(parser: _BoundedParser, octets: bytes) -> str:
    """Feed the parser until a limit is met; says which limit and how far it came, or ""."""
    lines = 0
    for begin in range(0, len(octets), _SLICE):
        piece = octets[begin : begin + _SLICE]
        parser.feed(piece)
        lines += _lines(piece) * max(1, len(parser._msgstack) // _SHALLOW)
        end = begin + len(piece)
        if end < len(octets) and (parser.parts > MOST_PARTS or lines > MOST_LINES):
            parts = parser.parts > MOST_PARTS
            beyond = f"more than {MOST_PARTS:,} parts" if parts else "too many lines"
            return f"looked into as far as octet {end:,}: it has {beyond}"
    return ""
