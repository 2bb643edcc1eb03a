"""Structured header fields: comments taken out, and parameters read (RFC 5322, RFC 2045, RFC 2231).

Written here since the standard library takes time with the square of a field's length, raises on
some parameters, and reads separators inside comments as separators. All of this is linear.
"""

import re
from collections.abc import Iterator

from mnemic.core.message.charsets import decode_octets
from mnemic.core.message.header_text import unfold

__all__ = ["keyword", "parameter", "without_comments"]

#: What matters to where comments and quoted strings begin and end (RFC 5322, sections 3.2.1 to 4).
_MARKS = re.compile(r'\\.|["()]', re.DOTALL)

#: RFC 2231, sections 3 and 4: a name, the number of a piece, and whether it is extended. Nobody
#: has more pieces than three digits can count.
_ATTRIBUTE = re.compile(r"(?P<name>[^*\s]+?)(?:\*(?P<number>[0-9]{1,3}))?(?P<extended>\*)?")


def without_comments(value: str) -> str:
    """The field without its comments, each a space instead (RFC 5322, section 3.2.2).

    Comments nest; what looks like one inside a quoted string is none. A comment that is never
    closed reaches to the end.
    """
    if "(" not in value:
        return value
    kept: list[str] = []
    depth, begin, quoted = 0, 0, False
    for mark in _MARKS.finditer(value):
        sign = mark.group()
        if sign == '"' and depth == 0:
            quoted = not quoted
        elif sign == "(" and not quoted:
            if depth == 0:
                kept += value[begin : mark.start()], " "
            depth += 1
        elif sign == ")" and depth:
            depth -= 1
            begin = mark.end()
    if depth == 0:
        kept.append(value[begin:])
    return "".join(kept)


def _pieces(value: str) -> Iterator[str]:
    """What stands between the semicolons of a field, those in quoted strings not counted."""
    if '"' not in value:
        yield from value.split(";")
        return
    begin, quoted = 0, False
    for mark in re.finditer(r'\\.|[";]', value, re.DOTALL):
        if mark.group() == '"':
            quoted = not quoted
        elif mark.group() == ";" and not quoted:
            yield value[begin : mark.start()]
            begin = mark.end()
    yield value[begin:]


def keyword(value: str) -> str:
    """What a field begins with, in lower case, without comments and parameters."""
    if "(" not in value and '"' not in value:  # most often
        return value.partition(";")[0].strip().lower()
    return next(_pieces(without_comments(unfold(value)))).strip().lower()


def _unquoted(value: str) -> str:
    value = value.strip()
    if not value.startswith('"'):
        return value
    inner = value[1:-1] if len(value) > 1 and value.endswith('"') else value[1:]
    return re.sub(r"\\(.)", r"\1", inner, flags=re.DOTALL) if "\\" in inner else inner


def _octets(text: str) -> bytes:
    return text.encode("utf-8", "surrogateescape")


_PERCENT = re.compile(rb"%([0-9A-Fa-f]{2})")


def _from_percent(octets: bytes) -> bytes:
    """Octets of an extended value (RFC 2231, section 7); what is none stays as it stands."""
    return _PERCENT.sub(lambda escape: bytes.fromhex(escape[1].decode()), octets)


def _joined(pieces: dict[int, tuple[str, bool]]) -> str:
    """The value that pieces make, as far as they follow each other (RFC 2231, section 4.1)."""
    charset, octets = "", b""
    for number in range(len(pieces)):
        if number not in pieces:
            break
        value, extended = pieces[number]
        if extended and number == 0 and value.count("'") >= 2:
            charset, _, value = value.split("'", 2)
        octets += _from_percent(_octets(value)) if extended else _octets(value)
    return decode_octets(octets, charset or None)


def parameter(value: str, name: str) -> str:
    """A parameter of a structured field, decoded (RFC 2231); empty where it is missing.

    What is in pieces or extended comes before what is plain, as is common practice; of several
    alike the first counts.
    """
    if name not in value.lower():
        return ""
    pieces: dict[int, tuple[str, bool]] = {}
    alone: dict[bool, str] = {}
    for piece in list(_pieces(without_comments(unfold(value))))[1:]:
        attribute, equals, written = piece.partition("=")
        match = _ATTRIBUTE.fullmatch(attribute.strip()) if equals else None
        if match is None or match["name"].lower() != name:
            continue
        extended = match["extended"] is not None
        if match["number"] is None:
            alone.setdefault(extended, _unquoted(written))
        else:
            pieces.setdefault(int(match["number"]), (_unquoted(written), extended))
    if 0 in pieces:
        return _joined(pieces)
    if True in alone:
        return _joined({0: (alone[True], True)})
    return alone.get(False, "")
