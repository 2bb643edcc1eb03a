"""A script's text as a tree: strictly by the grammar of RFC 5228, section 8.2.

What is wrong is told with its place, and reading goes on with the next command.
"""

from collections.abc import Iterator

from mnemic.core.sieve.errors import SieveError, SieveProblem
from mnemic.core.sieve.syntax import Argument, Command, Number, Strings, Tag, Test
from mnemic.core.sieve.tokens import Lines, Token, tokens_of

__all__ = ["MOST_DEEP", "MOST_OCTETS", "parsed", "text_of_script"]

#: Octets from which on a script is refused: a line of some thousand rules is smaller.
MOST_OCTETS = 1_000_000

#: Blocks and tests inside others; RFC 5228, section 2.10.7, asks for fifteen.
MOST_DEEP = 100

_UNITS = {"k": 2**10, "m": 2**20, "g": 2**30}

#: RFC 5228, section 2.4.1: numbers up to this have to be taken.
_MOST_NUMBER = 2**31 - 1


class _WrongHereError(Exception):
    """What stops a command from being read."""

    def __init__(self, token: Token, reason: str) -> None:
        self.token, self.reason = token, reason


def text_of_script(octets: bytes) -> str:
    """A script's text; raises SieveError where it is too long, not UTF-8, or holds NUL."""
    if len(octets) >= MOST_OCTETS:
        reason = f"the script has {len(octets):,} octets; it has to be below {MOST_OCTETS:,}"
        raise SieveError([SieveProblem(1, 1, reason)])
    try:
        text = octets.decode("utf-8")
    except UnicodeDecodeError as error:
        before = octets[: error.start].decode("utf-8")
        reason = "not UTF-8 from here on; save the script as UTF-8"
        raise SieveError([Lines(before).problem(len(before), reason)]) from error
    if "\0" in text:
        reason = "holds NUL, which no script may (RFC 5228, section 2.1); leave it out"
        raise SieveError([Lines(text).problem(text.index("\0"), reason)])
    return text


def parsed(text: str) -> tuple[tuple[Command, ...], tuple[SieveProblem, ...]]:
    """The commands of a script that can be read, and every problem of its grammar.

    Raises SieveError where it lies too deep for anything else to be told.
    """
    reader = _Reader(text)
    commands = reader.script()
    return commands, tuple(reader.problems)


class _Reader:
    def __init__(self, text: str) -> None:
        self._lines = Lines(text)
        self.problems: list[SieveProblem] = []
        self._tokens: list[Token] = []
        self._comments: dict[int, list[str]] = {}
        self._at = self._deep = 0
        for token in tokens_of(text):
            if token.kind == "comment":
                self._comments.setdefault(len(self._tokens), []).append(token.text)
            elif token.kind == "wrong":
                self.problems.append(self._lines.problem(token.at, token.text))
            else:
                self._tokens.append(token)

    def script(self) -> tuple[Command, ...]:
        """All commands, to the end."""
        commands = list(self._commands())
        while self._token.kind != "end":  # a bracket that nothing has opened
            self._tell(self._token, "this } closes nothing; take it away")
            self._at += 1
            commands += self._commands()
        return tuple(commands)

    @property
    def _token(self) -> Token:
        return self._tokens[self._at]

    def _tell(self, token: Token, reason: str) -> None:
        self.problems.append(self._lines.problem(token.at, reason))

    def _take(self) -> Token:
        token = self._token
        if token.kind != "end":
            self._at += 1
        return token

    def _takes(self, text: str) -> bool:
        token = self._token
        if token.kind != "punctuation" or token.text != text:
            return False
        self._at += 1
        return True

    def _need(self, text: str, where: str) -> None:
        if not self._takes(text):
            raise _WrongHereError(self._token, f"{where}, not {_shown(self._token)}")

    def _commands(self) -> Iterator[Command]:
        """The commands up to the end of a block, or of the script."""
        while self._token.kind != "end" and self._token[:2] != ("punctuation", "}"):
            begun, deep = self._at, self._deep
            try:
                yield self._command()
            except _WrongHereError as wrong:
                self._tell(wrong.token, wrong.reason)
                self._deep = deep
                self._at = max(self._at, begun + 1)
                self._go_on()

    def _go_on(self) -> None:
        """Leave what is left of a command that can't be read."""
        deep = 0
        while self._token.kind != "end":
            text = self._token.text if self._token.kind == "punctuation" else ""
            if text == "}" and not deep:
                return
            self._at += 1
            deep += (text == "{") - (text == "}")
            if not deep and text in (";", "}"):
                return

    def _command(self) -> Command:
        comments = tuple(self._comments.get(self._at, ()))
        token = self._take()
        if token.kind != "name":
            raise _WrongHereError(token, f"a command has to begin here, not {_shown(token)}")
        arguments, tests = self._arguments()
        block = None
        if self._takes("{"):
            self._deeper(token)
            block = tuple(self._commands())
            self._deep -= 1
            self._need("}", "the block of this command has to be closed by }")
        else:
            self._need(";", f"“{token.text}” has to end with ; or a block")
        return Command(token.text.lower(), arguments, tests, block, comments, token.at)

    def _deeper(self, token: Token) -> None:
        if self._deep == MOST_DEEP:
            # One answer for all that lies deeper: the rest of the script can't be understood.
            self._at = len(self._tokens) - 1
            reason = f"lies deeper than {MOST_DEEP} blocks and tests; take some away"
            raise SieveError([*self.problems, self._lines.problem(token.at, reason)])
        self._deep += 1

    def _arguments(self) -> tuple[tuple[Argument, ...], tuple[Test, ...]]:
        arguments: list[Argument] = []
        while (argument := self._argument()) is not None:
            arguments.append(argument)
        if self._token.kind == "name":
            return tuple(arguments), (self._test(),)
        if not self._takes("("):
            return tuple(arguments), ()
        tests = [self._test()]
        while self._takes(","):
            tests.append(self._test())
        self._need(")", "a list of tests goes on with , or ends with )")
        return tuple(arguments), tuple(tests)

    def _argument(self) -> Argument | None:
        token = self._token
        if token.kind == "tag":
            self._at += 1
            return Tag(token.text.lower(), token.at)
        if token.kind == "number":
            self._at += 1
            return Number(self._number(token), token.at)
        if token.kind == "string":
            self._at += 1
            return Strings((token.text,), listed=False, at=token.at)
        if not self._takes("["):
            return None
        values = [self._string()]
        while self._takes(","):
            values.append(self._string())
        self._need("]", "a list of strings goes on with , or ends with ]")
        return Strings(tuple(values), listed=True, at=token.at)

    def _number(self, token: Token) -> int:
        digits = token.text.rstrip("KMGkmg")
        unit = _UNITS[token.text[-1].lower()] if len(digits) < len(token.text) else 1
        value = int(digits) * unit if len(digits) <= len(str(_MOST_NUMBER)) else _MOST_NUMBER + 1
        if value > _MOST_NUMBER:
            self._tell(token, f"this number is larger than {_MOST_NUMBER:,}; take a smaller one")
        return value

    def _string(self) -> str:
        token = self._take()
        if token.kind != "string":
            raise _WrongHereError(token, f"a string has to stand here, not {_shown(token)}")
        return token.text

    def _test(self) -> Test:
        token = self._take()
        if token.kind != "name":
            raise _WrongHereError(token, f"a test has to stand here, not {_shown(token)}")
        self._deeper(token)
        arguments, tests = self._arguments()
        self._deep -= 1
        return Test(token.text.lower(), arguments, tests, token.at)


def _shown(token: Token) -> str:
    """A token, as an error names it."""
    if token.kind == "end":
        return "the end of the script"
    text = token.text if len(token.text) <= 40 else f"{token.text[:40]}…"
    return f"“{text}”"
