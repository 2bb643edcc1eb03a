"""ManageSieve (RFC 5804) for the stand-in: scripts are checked, put, listed and made active."""

import base64
import binascii
import re
from collections.abc import Callable, Mapping
from typing import Any

from twisted.protocols.basic import LineReceiver

from mnemic.stand_in.boxes import Account
from mnemic.stand_in.sieve import ScriptRefusedError, checked

__all__ = ["ManageSieve"]

_TOKEN = re.compile(rb'[ ]*(?:"((?:[^"\\]|\\.)*)"|([^\s"{]+)|\{(\d+)(\+?)\}$)')

#: Commands that need no login (RFC 5804, section 2).
_FREE = {"AUTHENTICATE", "CAPABILITY", "LOGOUT", "NOOP", "STARTTLS"}

#: Scripts of one account.
_MOST_SCRIPTS = 20

#: Octets that a name may have (RFC 5804, section 1.6: 128 characters at least).
_LONGEST_NAME = 512


class _RefusedError(Exception):
    """NO: a response code, or none, and words."""

    def __init__(self, words: str, code: str = "") -> None:
        self.words, self.code = words, code
        super().__init__(words)


def _quoted(text: str) -> str:
    escaped = re.sub(r'(["\\])', r"\\\1", text)
    return f'"{escaped}"'


class ManageSieve(LineReceiver):
    """One connection. ``extensions`` are those of Sieve; ``space`` octets one account may have."""

    MAX_LENGTH = 1 << 16

    def __init__(
        self,
        accounts: Mapping[str, Account],
        tls: Any,
        extensions: frozenset[str],
        space: int,
    ) -> None:
        self._accounts, self._tls = accounts, tls
        self._extensions, self._space = extensions, space
        self._account: Account | None = None
        self._words: list[bytes] = []
        self._needs, self._literal = 0, b""
        self._waits_for_login: Callable[[bytes], None] | None = None
        self._is_encrypted = False

    def connectionMade(self) -> None:
        """Say what the server can do."""
        self._greet()

    def _greet(self) -> None:
        hidden = self._tls is not None and not self._is_encrypted
        self._say("IMPLEMENTATION", "stand-in")
        self._say("SIEVE", " ".join(sorted(self._extensions)))
        self._say("SASL", "" if hidden else "PLAIN OAUTHBEARER")
        if hidden:
            self._say("STARTTLS")
        self._say("MAXREDIRECTS", "5")
        self._say("VERSION", "1.0")
        self._ok("stand-in")

    def _say(self, *words: str) -> None:
        self.sendLine(" ".join(map(_quoted, words)).encode())

    def _ok(self, words: str = "done") -> None:
        self.sendLine(f"OK {_quoted(words)}".encode())

    def _no(self, error: _RefusedError) -> None:
        code = f"({error.code}) " if error.code else ""
        self.sendLine(f"NO {code}{_quoted(error.words)}".encode())

    # Commands come as words, quoted strings and literals, over several lines.

    def lineReceived(self, line: bytes) -> None:
        """One line of a command."""
        if self._waits_for_login is not None:
            answer, self._waits_for_login = self._waits_for_login, None
            self._attempt(lambda: answer(line.strip(b'"')))
            return
        at, line = 0, line.rstrip()
        while at < len(line):
            match = _TOKEN.match(line, at)
            if match is None:
                self._words = []
                self._no(_RefusedError("not understood"))
                return
            if match[3] is not None:
                self._take_literal(int(match[3]))
                return
            text = match[1]
            self._words.append(match[2] if text is None else re.sub(rb"\\(.)", rb"\1", text))
            at = match.end()
        words, self._words = self._words, []
        if words:
            self._attempt(lambda: self._run(words[0].upper().decode("ascii", "replace"), words[1:]))

    def _take_literal(self, size: int) -> None:
        self._needs, self._literal = size, b""
        self.setRawMode()

    def rawDataReceived(self, data: bytes) -> None:
        """Octets of a literal, and maybe what follows it."""
        self._literal += data
        if len(self._literal) >= self._needs:
            rest = self._literal[self._needs :]
            self._words.append(self._literal[: self._needs])
            self.setLineMode(rest)

    def _attempt(self, act: Callable[[], None]) -> None:
        try:
            act()
        except _RefusedError as error:
            self._no(error)

    def _run(self, name: str, words: list[bytes]) -> None:
        act = getattr(self, f"do_{name}", None)
        if act is None:
            raise _RefusedError(f"{name} is not known")
        if self._account is None and name not in _FREE:
            raise _RefusedError("log in first")
        try:
            act(*words)
        except TypeError as error:
            raise _RefusedError("wrong number of arguments") from error

    # Commands of RFC 5804, section 2

    def do_CAPABILITY(self) -> None:
        """What the server can do."""
        self._greet()

    def do_NOOP(self, tag: bytes = b"") -> None:
        """Nothing."""
        self.sendLine(b"OK " + (b"(TAG " + b'"' + tag + b'") ' if tag else b"") + b'"done"')

    def do_LOGOUT(self) -> None:
        """The end."""
        self._ok("bye")
        self.transport.loseConnection()

    def do_STARTTLS(self) -> None:
        """Encrypt from here on, and say anew what the server can do."""
        if self._tls is None or self._is_encrypted:
            raise _RefusedError("there is no TLS")
        self._ok("begin")
        self.transport.startTLS(self._tls)
        self._is_encrypted = True
        self._greet()

    def do_AUTHENTICATE(self, mechanism: bytes, first: bytes | None = None) -> None:
        """Log in (RFC 4616, RFC 7628)."""
        if self._tls is not None and not self._is_encrypted:
            raise _RefusedError("encrypt first", "ENCRYPT-NEEDED")
        check = {b"PLAIN": self._plain, b"OAUTHBEARER": self._bearer}.get(mechanism.upper())
        if check is None:
            raise _RefusedError("this mechanism is not known")
        if first is None:
            self._waits_for_login = check
            self.sendLine(b'""')
        else:
            check(first)

    def _plain(self, given: bytes) -> None:
        _, user, password = (*_decoded(given).split("\0"), "", "", "")[:3]
        self._log_in(user, lambda account: account.password == password)

    def _bearer(self, given: bytes) -> None:
        text = _decoded(given)
        user = text.partition("a=")[2].partition(",")[0]
        token = text.partition("auth=Bearer ")[2].partition("\x01")[0]
        self._log_in(user, lambda account: account.token == token)

    def _log_in(self, user: str, is_right: Callable[[Account], bool]) -> None:
        account = self._accounts.get(user)
        if account is None or not is_right(account):
            raise _RefusedError("name or password is wrong")
        self._account = account
        self._ok("logged in")

    def do_HAVESPACE(self, name: bytes, size: bytes) -> None:
        """Whether a script of so many octets has room."""
        self._check_room(_named(name), int(size) if size.isdigit() else 0)
        self._ok()

    def do_CHECKSCRIPT(self, script: bytes) -> None:
        """Whether a script would be taken."""
        self._check(script)
        self._ok()

    def do_PUTSCRIPT(self, name: bytes, script: bytes) -> None:
        """Keep a script under a name."""
        self._check(script)
        self._check_room(_named(name), len(script))
        self._of().scripts[_named(name)] = script
        self._ok()

    def do_LISTSCRIPTS(self) -> None:
        """The names, and which is active."""
        account = self._of()
        for name in sorted(account.scripts):
            active = " ACTIVE" if name == account.active else ""
            self.sendLine(f"{_quoted(name)}{active}".encode())
        self._ok()

    def do_GETSCRIPT(self, name: bytes) -> None:
        """A script's octets, as they were put."""
        script = self._script(_named(name))
        self.transport.write(b"{%d}\r\n" % len(script) + script + b"\r\n")
        self._ok()

    def do_SETACTIVE(self, name: bytes) -> None:
        """The script that runs; none where no name is given."""
        if name:
            self._script(_named(name))
        self._of().active = _named(name) if name else ""
        self._ok()

    def do_DELETESCRIPT(self, name: bytes) -> None:
        """Forget a script that is not active."""
        self._script(_named(name))
        if _named(name) == self._of().active:
            raise _RefusedError("it is active", "ACTIVE")
        del self._of().scripts[_named(name)]
        self._ok()

    def do_RENAMESCRIPT(self, old: bytes, new: bytes) -> None:
        """Another name; an active script stays active."""
        account, script = self._of(), self._script(_named(old))
        if _named(new) in account.scripts:
            raise _RefusedError("there is one of that name", "ALREADYEXISTS")
        del account.scripts[_named(old)]
        account.scripts[_named(new)] = script
        if account.active == _named(old):
            account.active = _named(new)
        self._ok()

    def do_UNAUTHENTICATE(self) -> None:
        """Log out, and stay connected (RFC 5804, section 2.14)."""
        self._account = None
        self._ok()

    def _of(self) -> Account:
        if self._account is None:
            raise _RefusedError("log in first")
        return self._account

    def _script(self, name: str) -> bytes:
        script = self._of().scripts.get(name)
        if script is None:
            raise _RefusedError("there is no such script", "NONEXISTENT")
        return script

    def _check(self, script: bytes) -> None:
        try:
            checked(script, self._extensions)
        except ScriptRefusedError as error:
            raise _RefusedError(str(error)) from error

    def _check_room(self, name: str, size: int) -> None:
        account = self._of()
        others = [len(script) for other, script in account.scripts.items() if other != name]
        if size + sum(others) > self._space:
            raise _RefusedError("there is no room for it", "QUOTA/MAXSIZE")
        if len(others) >= _MOST_SCRIPTS:
            raise _RefusedError("there are too many scripts", "QUOTA/MAXSCRIPTS")


def _named(name: bytes) -> str:
    try:
        text = name.decode("utf-8")
    except UnicodeDecodeError as error:
        raise _RefusedError("a name has to be UTF-8") from error
    if not text or len(name) > _LONGEST_NAME or any(ord(sign) < 32 for sign in text):
        raise _RefusedError("this can't be a name")
    return text


def _decoded(given: bytes) -> str:
    try:
        return base64.b64decode(given, validate=True).decode("utf-8")
    except (binascii.Error, UnicodeDecodeError) as error:
        raise _RefusedError("not base64 of UTF-8") from error
