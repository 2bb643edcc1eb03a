"""A script's text, read by a descent over its characters (RFC 5228, section 8)."""

import re
from dataclasses import dataclass, field
from typing import NoReturn

from mnemic.stand_in.sieve.words import (
    ACTIONS,
    CAPABILITIES,
    NAMES_VARIABLE,
    NEEDS,
    TAKES_VALUE,
    TESTS,
)

__all__ = ["Call", "ScriptRefusedError", "checked", "required_by"]

#: Blocks and tests inside each other that are taken.
_DEEPEST = 50

#: Octets that a script may have.
_LARGEST = 1_000_000

_BLANK = re.compile(r"(?:[ \t\r\n]+|#[^\n]*|/\*.*?\*/)*", re.DOTALL)
_WORD = re.compile(r"[A-Za-z_]\w*", re.ASCII)
_NUMBER = re.compile(r"(\d+)([KMG]?)(?!\w)", re.IGNORECASE | re.ASCII)
_TEXT = re.compile(r"text:[ \t]*(?:#[^\n]*)?\r?\n", re.IGNORECASE)
_STRING = re.compile(r'"((?:[^"\\]|\\.)*)"', re.DOTALL)
_UNIT = {"": 1, "K": 1 << 10, "M": 1 << 20, "G": 1 << 30}


class ScriptRefusedError(Exception):
    """A script that is not run; the text says in which line, and why."""


@dataclass
class Call:
    """A command, or a test: its name, tags with what follows them, arguments, tests, and block."""

    name: str
    line: int
    tags: dict[str, object] = field(default_factory=dict)
    values: list[object] = field(default_factory=list)
    tests: list["Call"] = field(default_factory=list)
    block: list["Call"] | None = None


def checked(octets: bytes, capabilities: frozenset[str] = CAPABILITIES) -> list[Call]:
    """The commands of a script for a server that can so much. Raises ScriptRefusedError."""
    if len(octets) >= _LARGEST:
        raise ScriptRefusedError("line 1: the script is too large")
    try:
        text = octets.decode("utf-8")
    except UnicodeDecodeError as error:
        raise ScriptRefusedError("line 1: not UTF-8") from error
    if "\0" in text:
        raise ScriptRefusedError("line 1: NUL is not allowed")
    reading = _Reading(text)
    calls = reading.calls(0)
    if reading.at < len(text):
        reading.refuse("unexpected }")
    _check_all(calls, required_by(calls, capabilities))
    return calls


class _Reading:
    def __init__(self, text: str) -> None:
        self._text, self.at = text, 0
        self._skip()

    def refuse(self, why: str) -> NoReturn:
        """Give up here."""
        line = self._text.count("\n", 0, self.at) + 1
        raise ScriptRefusedError(f"line {line}: {why}")

    def _skip(self) -> None:
        match = _BLANK.match(self._text, self.at)
        self.at = match.end() if match else self.at
        if self._text.startswith("/*", self.at):
            self.refuse("a comment has no end")

    def _takes(self, sign: str) -> bool:
        if not self._text.startswith(sign, self.at):
            return False
        self.at += len(sign)
        self._skip()
        return True

    def _need(self, sign: str) -> None:
        if not self._takes(sign):
            self.refuse(f"expected {sign}")

    def calls(self, deep: int) -> list[Call]:
        """Commands up to the end of their block."""
        made = []
        while self.at < len(self._text) and self._text[self.at] != "}":
            call = self._call(deep)
            if self._takes("{"):
                call.block = self.calls(deep + 1)
                self._need("}")
            else:
                self._need(";")
            made.append(call)
        return made

    def _call(self, deep: int) -> Call:
        if deep > _DEEPEST:
            self.refuse("nested too deeply")
        match = _WORD.match(self._text, self.at)
        if match is None:
            self.refuse("expected a name")
        call = Call(match[0].lower(), self._text.count("\n", 0, self.at) + 1)
        self.at = match.end()
        self._skip()
        self._arguments(call)
        if self._takes("("):
            call.tests.append(self._call(deep + 1))
            while self._takes(","):
                call.tests.append(self._call(deep + 1))
            self._need(")")
        elif _WORD.match(self._text, self.at):
            call.tests.append(self._call(deep + 1))
        return call

    def _arguments(self, call: Call) -> None:
        while True:
            if self._takes(":"):
                match = _WORD.match(self._text, self.at)
                if match is None:
                    self.refuse("expected a tag's name")
                tag = f":{match[0].lower()}"
                self.at = match.end()
                self._skip()
                if call.values:
                    self.refuse(f"{tag} stands behind other arguments")
                if tag in call.tags:
                    self.refuse(f"{tag} stands twice")
                follows = TAKES_VALUE.get(tag)
                takes = follows is not None and call.name in follows
                call.tags[tag] = self._value(needed=True) if takes else None
            elif (value := self._value()) is not None:
                call.values.append(value)
            else:
                return

    def _value(self, *, needed: bool = False) -> object:
        match = _NUMBER.match(self._text, self.at)
        if match:
            self.at = match.end()
            self._skip()
            return int(match[1][:20]) * _UNIT[match[2].upper()]
        text = self._string()
        if text is not None:
            return text
        if self._takes("["):
            texts = [self._sure_string()]
            while self._takes(","):
                texts.append(self._sure_string())
            self._need("]")
            return texts
        if needed:
            self.refuse("an argument is missing")
        return None

    def _sure_string(self) -> str:
        text = self._string()
        if text is None:
            self.refuse("expected a string")
        return text

    def _string(self) -> str | None:
        match = _STRING.match(self._text, self.at)
        if match:
            self.at = match.end()
            self._skip()
            return re.sub(r"\\(.)", r"\1", match[1], flags=re.DOTALL)
        match = _TEXT.match(self._text, self.at)
        if match is None:
            if self._text.startswith('"', self.at):
                self.refuse("a string has no end")
            return None
        lines = []
        at = match.end()
        while not re.compile(r"\.\r?\n").match(self._text, at):
            end = self._text.find("\n", at) + 1
            if not end:
                self.refuse("a text has no end")
            line = self._text[at:end]
            lines.append(line[1:] if line.startswith("..") else line)
            at = end
        self.at = self._text.index("\n", at) + 1
        self._skip()
        return "".join(lines)


def required_by(calls: list[Call], capabilities: frozenset[str] = CAPABILITIES) -> set[str]:
    """What a script requires. Raises ScriptRefusedError where it stands too late, or is unknown."""
    required: set[str] = set()
    for number, call in enumerate(calls):
        if call.name != "require":
            continue
        if any(other.name != "require" for other in calls[:number]):
            raise ScriptRefusedError(f"line {call.line}: require comes too late")
        for value in call.values:
            names = value if isinstance(value, list) else [value]
            for name in names:
                if name not in capabilities:
                    raise ScriptRefusedError(f"line {call.line}: no such capability: {name}")
                required.add(str(name))
    return required


def _check_all(calls: list[Call], required: set[str]) -> None:
    before = ""
    for call in calls:
        if call.name not in ACTIONS:
            raise ScriptRefusedError(f"line {call.line}: no such command: {call.name}")
        if call.name in ("elsif", "else") and before not in ("if", "elsif"):
            raise ScriptRefusedError(f"line {call.line}: {call.name} without if")
        before = call.name
        controls = call.name in ("if", "elsif", "else")
        if controls != (call.block is not None):
            raise ScriptRefusedError(f"line {call.line}: a block is missing, or one too many")
        if len(call.tests) != (1 if call.name in ("if", "elsif") else 0):
            raise ScriptRefusedError(f"line {call.line}: wrong number of tests")
        _check(call, required, ACTIONS[call.name])
        for test in call.tests:
            _check_test(test, required)
        _check_all(call.block or [], required)


def _check_test(test: Call, required: set[str]) -> None:
    if test.name not in TESTS:
        raise ScriptRefusedError(f"line {test.line}: no such test: {test.name}")
    many = len(test.tests)
    wanted = {"not": many == 1, "allof": many > 0, "anyof": many > 0}.get(test.name, many == 0)
    if not wanted:
        raise ScriptRefusedError(f"line {test.line}: wrong number of tests")
    _check(test, required, TESTS[test.name])
    for inside in test.tests:
        _check_test(inside, required)


def _check(call: Call, required: set[str], counts: tuple[int, ...]) -> None:
    if len(call.values) not in counts:
        raise ScriptRefusedError(f"line {call.line}: wrong number of arguments to {call.name}")
    needed = [NEEDS.get(call.name), *(NEEDS.get(tag) for tag in call.tags)]
    comparator = call.tags.get(":comparator")
    if comparator is not None and comparator not in ("i;octet", "i;ascii-casemap"):
        needed.append(f"comparator-{comparator}")
    if len(call.values) > 1 and call.name in NAMES_VARIABLE:
        needed.append("variables")
    for name in needed:
        if name is not None and name not in required:
            raise ScriptRefusedError(f"line {call.line}: {name} has to be required")
