"""Addresses of a header field (RFC 5322, section 3.4; obsolete forms of section 4.4)."""

import re
from dataclasses import dataclass, field

from mnemic.core.message.header_text import decode_phrase, raw_text, unfold
from mnemic.core.text.domains import canonical_domain
from mnemic.core.text.folding import fold

__all__ = ["Address", "parse_addresses", "split_address"]


@dataclass(frozen=True, slots=True)
class Address:
    """A mailbox: display name, local part and domain, each decoded, in its original case.

    ``local`` is without the quotes of a quoted string; ``domain`` is empty where there is no @.
    """

    name: str
    local: str
    domain: str
    _canonical: str | None = field(default=None, init=False, repr=False, compare=False)

    @property
    def address(self) -> str:
        """``local@domain``, or the local part alone where there is no domain."""
        return f"{self.local}@{self.domain}" if self.domain else self.local

    @property
    def canonical(self) -> str:
        """The form in which addresses are compared as a whole: folded, its domain in IDNA's."""
        if self._canonical is None:  # worked out once; there are too many for a __dict__ each
            local = fold(self.local)
            form = f"{local}@{canonical_domain(self.domain)}" if self.domain else local
            object.__setattr__(self, "_canonical", form)
            return form
        return self._canonical


_TOKEN = re.compile(
    r"""(?P<space>[ \t\r\n]+)
      | "(?P<quoted>(?:[^"\\]|\\.)*)(?:"|\\?$)
      | (?P<comment>\()
      | (?P<literal>\[[^\]]*\]?)
      | (?P<special>[<>,;:@])
      | (?P<atom>[^\s()<>\[\],;:@"]+|.)""",
    re.VERBOSE | re.DOTALL,
)
_COMMENT_MARK = re.compile(r"[()]|\\.", re.DOTALL)
_QUOTED_PAIR = re.compile(r"\\(.)", re.DOTALL)
# Most fields hold one address in its plainest form; anything else takes the long way.
_PLAIN = r'[^\s"()<>\[\],;:@\\=]+'
_SIMPLE = re.compile(rf"(?:({_PLAIN}(?: {_PLAIN})*) <|<)?({_PLAIN})@({_PLAIN})>?")


def split_address(text: str) -> tuple[str, str]:
    """Local part and domain of an addr-spec, at its last @; the domain may be empty."""
    local, at, domain = text.rpartition("@")
    if not at:
        return text, ""
    return local, domain


def _comment(text: str, start: int) -> tuple[str, int]:
    """The content of the comment that opens before ``start``, and where it ends."""
    depth = 1
    for mark in _COMMENT_MARK.finditer(text, start):
        depth += {"(": 1, ")": -1}.get(mark.group(), 0)
        if depth == 0:
            return text[start : mark.start()], mark.end()
    return text[start:], len(text)


class _Reader:
    """Collects the pieces of one address until a comma, a semicolon or the end."""

    def __init__(self) -> None:
        self.found: list[Address] = []
        self._clear()

    def _clear(self) -> None:
        self.phrase: list[str] = []
        self.has_at = False  # asked at each colon; to look through the phrase would take long
        self.angle: list[str] | None = None
        self.in_angle = False
        self.comment = ""
        self.space = False

    def add(self, text: str) -> None:
        if self.in_angle and self.angle is not None:
            self.angle.append(text)
        else:
            if self.space and self.phrase:
                self.phrase.append(" ")
            self.phrase.append(text)
            self.has_at = self.has_at or text == "@"
        self.space = False

    def open_angle(self) -> None:
        self.angle, self.in_angle = [], True

    def colon(self) -> None:
        if self.in_angle:  # an obsolete source route, <@a,@b:user@host>: only the last counts
            self.angle = []
        elif not self.has_at:  # the name of a group
            self._clear()
        else:
            self.add(":")

    def flush(self) -> None:
        if self.angle is not None:
            spec, name = "".join(self.angle), decode_phrase("".join(self.phrase)).strip()
        else:
            spec, name = "".join(piece for piece in self.phrase if piece != " "), ""
            if "@" not in spec:
                spec = "".join(self.phrase).strip()
        if spec or name:
            local, domain = split_address(spec)
            self.found.append(Address(name or decode_phrase(self.comment), local, domain))
        self._clear()

    def special(self, mark: str) -> None:
        if mark == "<":
            self.open_angle()
        elif mark == ">":
            self.in_angle = False
        elif mark == ":":
            self.colon()
        elif mark == "@":
            self.add("@")
        elif not self.in_angle:  # a comma or semicolon ends the address
            self.flush()


def parse_addresses(value: str) -> tuple[Address, ...]:
    """Every address of a header field's value, groups flattened; never raises.

    Comments are dropped, but one beside an address without display name serves as its name
    (``jdoe@example.org (John Doe)``, RFC 822 common practice). What can't be read as an address
    is kept whole as a local part without domain, so that no text of the field is lost.
    """
    text = raw_text(unfold(value))
    if simple := _SIMPLE.fullmatch(text):
        return (Address(simple[1] or "", simple[2], simple[3]),)
    reader, position = _Reader(), 0
    while position < len(text):
        match = _TOKEN.match(text, position)
        assert match is not None  # the last alternative takes any character
        position = match.end()
        kind, token = match.lastgroup, match.group()
        if kind == "space":
            reader.space = True
        elif kind == "comment":
            reader.comment, position = _comment(text, position)
            reader.comment = _QUOTED_PAIR.sub(r"\1", reader.comment).strip()
        elif kind == "quoted":
            reader.add(_QUOTED_PAIR.sub(r"\1", match["quoted"]))
        elif kind == "special":
            reader.special(token)
        else:
            reader.add(token)
    reader.flush()
    return tuple(reader.found)
