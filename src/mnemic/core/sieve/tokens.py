"""The tokens of a script (RFC 5228, section 8.1), with the comments, in one pass."""

import re
from bisect import bisect_right
from collections.abc import Iterator
from typing import Literal, NamedTuple, TypeAlias

from mnemic.core.sieve.errors import SieveProblem

__all__ = ["Lines", "Token", "tokens_of"]

Kind: TypeAlias = Literal[
    "name", "tag", "number", "string", "punctuation", "comment", "wrong", "end"
]


class Token(NamedTuple):
    """One token: its text as it counts (a string without its quoting), and where it begins."""

    kind: Kind
    text: str
    at: int


class Lines:
    """Where the lines of a text begin."""

    def __init__(self, text: str) -> None:
        self._starts = [0, *(match.end() for match in re.finditer("\n", text))]

    def problem(self, at: int, reason: str) -> SieveProblem:
        """What is wrong at a place, by line and column."""
        line = bisect_right(self._starts, at)
        return SieveProblem(line, at - self._starts[line - 1] + 1, reason)


_TOKEN = re.compile(
    r"""(?P<space>[ \t\r\n]+)
    |\#(?P<comment>[^\r\n]*)
    |/\*(?P<block>.*?)\*/
    |(?P<text>text:[ \t]*(?:\#[^\r\n]*)?\r?\n)
    |"(?P<string>[^"\\]*(?:\\.[^"\\]*)*)"
    |(?P<tag>:[A-Za-z_][A-Za-z0-9_]*)
    |(?P<number>[0-9]+[KMGkmg]?)
    |(?P<name>[A-Za-z_][A-Za-z0-9_]*)
    |(?P<punctuation>[\[\](){},;])""",
    re.VERBOSE | re.DOTALL,
)
_END_OF_TEXT = re.compile(r"^\.\r?\n", re.MULTILINE)
_STUFFED = re.compile(r"^\.\.", re.MULTILINE)
_QUOTED = re.compile(r"\\(.)", re.DOTALL)
_PLAIN: dict[str, Kind] = {
    "tag": "tag",
    "number": "number",
    "name": "name",
    "punctuation": "punctuation",
    "comment": "comment",
    "block": "comment",
}


def tokens_of(text: str) -> Iterator[Token]:
    """The tokens in order, "end" last; what is none is "wrong", with the reason as its text."""
    at, end = 0, len(text)
    while at < end:
        match = _TOKEN.match(text, at)
        if match is None:
            wrong, at = _wrong(text, at)
            yield wrong
            continue
        group = match.lastgroup or ""
        begun, at = at, match.end()
        if group == "space":
            continue
        if group == "string":
            written = match["string"]
            yield Token(
                "string", _QUOTED.sub(r"\1", written) if "\\" in written else written, begun
            )
        elif group == "text":
            token, at = _lines_of_text(text, begun, at)
            yield token
        else:
            yield Token(_PLAIN[group], match[group], begun)
    yield Token("end", "", end)


def _lines_of_text(text: str, begun: int, at: int) -> tuple[Token, int]:
    """A multi-line string, of which the lines begin at ``at``, and where it ends."""
    last = _END_OF_TEXT.search(text, at)
    if last is None:
        reason = "the text that begins here has no end; write a line with “.” alone behind it"
        return Token("wrong", reason, begun), len(text)
    return Token("string", _STUFFED.sub(".", text[at : last.start()]), begun), last.end()


def _wrong(text: str, at: int) -> tuple[Token, int]:
    """What is no token, and where to go on."""
    if text[at] == '"':
        return Token("wrong", 'this string has no end; close it with "', at), len(text)
    if text.startswith("/*", at):
        return Token("wrong", "this comment has no end; close it with */", at), len(text)
    return Token("wrong", f"{text[at]!r} can’t stand here; take it away", at), at + 1
