"""Scripts on an account's server, by ManageSieve (RFC 5804).

Written here since the library there is turns CRLF into LF, and drops a script's last line end.
"""

import base64
import re
import socket
import ssl
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import NamedTuple

from mnemic.post.access import PATIENCE, Access, refuse_the_open_net, unreachable
from mnemic.post.failures import (
    AccessRefusedError,
    CommandRefusedError,
    NotFollowedError,
    ServerError,
    ServerLostError,
    UnreachableError,
)

__all__ = ["Listed", "NoScriptRoomError", "ScriptServer", "managing_scripts"]

#: Octets of one answer: a script of the largest size that is read, and what is said around it.
_MOST_ANSWER = 2_000_000

#: Octets of one line of an answer.
_MOST_LINE = 65_536

_WORD = re.compile(rb' *(?:"((?:[^"\\]|\\.)*)"|(\([^)]*\))|([^\s"({]+)|\{(\d+)\+?\}$)')
_FIELD = "sieve"


class NoScriptRoomError(CommandRefusedError):
    """The server has no room for a script."""


class Listed(NamedTuple):
    """The scripts that a server has, by name, and the one that runs; None where none does."""

    names: tuple[str, ...]
    active: str | None


class _Answer(NamedTuple):
    """The lines before the last, each in words; the code of the last, and what it says."""

    lines: list[list[bytes]]
    status: str
    code: str
    words: str


@contextmanager
def managing_scripts(access: Access) -> Iterator["ScriptServer"]:
    """A server's scripts, logged in; it is left with the block.

    Raises UnreachableError, AccessRefusedError, ServerLostError, each a sentence.
    """
    if access.security == "none":
        refuse_the_open_net(access)
    server = _reached(access)
    try:
        server.log_in(access)
        yield server
    finally:
        with suppress(ServerError):  # it may be broken: then there is nothing to say goodbye to
            server.leave()
        server.close()


def _reached(access: Access) -> "ScriptServer":
    context = None if access.security == "none" else access.trust()
    connection: socket.socket | None = None
    try:
        connection = socket.create_connection((access.host, access.port), timeout=PATIENCE)
        connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        if access.security == "tls" and context is not None:
            connection = context.wrap_socket(connection, server_hostname=access.host)
        server = ScriptServer(connection, access.address)
        server.greeted()
        if access.security == "starttls" and context is not None:
            server.encrypt(context, access.host)
    except (OSError, ServerError) as error:
        if connection is not None:
            connection.close()
        if isinstance(error, ServerError):
            raise
        raise UnreachableError(str(unreachable(access, error)), _FIELD) from error
    return server


class ScriptServer:
    """A connection to a server's scripts.

    Whatever is asked raises ServerLostError where the connection breaks, CommandRefusedError where
    the server will not do it, and NotFollowedError where its answer makes no sense.
    """

    def __init__(self, connection: socket.socket, address: str) -> None:
        self._socket, self._address = connection, address
        self._file = connection.makefile("rb")
        self._capabilities: dict[str, str] = {}

    @property
    def extensions(self) -> frozenset[str]:
        """What Sieve the server can do."""
        return frozenset(self._capabilities.get("SIEVE", "").split())

    def greeted(self) -> None:
        """Take in what the server says of itself."""
        answer = self._answer()
        if answer.status != "OK":
            raise UnreachableError(f"{self._address} lets nobody in: {answer.words}", _FIELD)
        self._note(answer)

    def _note(self, answer: _Answer) -> None:
        self._capabilities = {
            line[0].decode("ascii", "replace").upper(): (
                line[1].decode("utf-8", "replace") if len(line) > 1 else ""
            )
            for line in answer.lines
            if line
        }

    def encrypt(self, context: ssl.SSLContext, host: str) -> None:
        """Speak TLS from here on; what was said in clear before counts for nothing."""
        if "STARTTLS" not in self._capabilities:
            raise UnreachableError(
                f"{self._address} has no STARTTLS; try another security", "security"
            )
        self._done(self._asked(b"STARTTLS"))
        self._file.close()
        self._socket = context.wrap_socket(self._socket, server_hostname=host)
        self._file = self._socket.makefile("rb")
        self.greeted()

    def log_in(self, access: Access) -> None:
        """Say who asks. Raises AccessRefusedError."""
        given, ways = access.secret.read(), self._capabilities.get("SASL", "").upper().split()
        if access.secret.kind == "token-command":
            way = "OAUTHBEARER"  # RFC 7628, section 3.1
            where = f"host={access.host}\x01port={access.port}"
            response = f"n,a={access.user},\x01{where}\x01auth=Bearer {given}\x01\x01"
        else:
            way, response = "PLAIN", f"\0{access.user}\0{given}"
        if way not in ways:
            raise UnreachableError(f"{self._address} knows no login by {way}", _FIELD)
        encoded = base64.b64encode(response.encode())
        answer = self._asked(b'AUTHENTICATE "%s" "%s"' % (way.encode(), encoded))
        if answer.status != "OK":
            raise AccessRefusedError(
                f"{self._address} refused the user name or the password: {answer.words}", _FIELD
            )
        self._note(self._done(self._asked(b"CAPABILITY")))

    def scripts(self) -> Listed:
        """The scripts that are there."""
        names, active = [], None
        for line in self._done(self._asked(b"LISTSCRIPTS")).lines:
            name = line[0].decode("utf-8", "replace")
            names.append(name)
            if len(line) > 1 and line[1].upper() == b"ACTIVE":
                active = name
        return Listed(tuple(names), active)

    def check(self, script: bytes) -> None:
        """Raise CommandRefusedError, with the server's words, where it would not take a script."""
        self._done(self._asked(b"CHECKSCRIPT " + _literal(script)))

    def put(self, name: str, script: bytes) -> None:
        """Keep a script under a name. Raises NoScriptRoomError."""
        self._done(self._asked(b"HAVESPACE %s %d" % (_quoted(name), len(script))))
        self._done(self._asked(b"PUTSCRIPT %s %s" % (_quoted(name), _literal(script))))

    def get(self, name: str) -> bytes | None:
        """A script's octets, as they are there; None where there is none of that name."""
        answer = self._asked(b"GETSCRIPT " + _quoted(name))
        if answer.code.startswith("NONEXISTENT"):
            return None
        lines = self._done(answer).lines
        if len(lines) != 1 or len(lines[0]) != 1:
            raise NotFollowedError(f"{self._address} gave no script where one was asked", _FIELD)
        return lines[0][0]

    def activate(self, name: str | None) -> None:
        """Let a script run, or none."""
        self._done(self._asked(b"SETACTIVE " + _quoted(name or "")))

    def rename(self, name: str, other: str) -> None:
        """Give a script another name."""
        self._done(self._asked(b"RENAMESCRIPT %s %s" % (_quoted(name), _quoted(other))))

    def delete(self, name: str) -> None:
        """Forget a script that does not run."""
        self._done(self._asked(b"DELETESCRIPT " + _quoted(name)))

    def leave(self) -> None:
        """Say goodbye."""
        self._asked(b"LOGOUT")

    def close(self) -> None:
        """Close the connection."""
        with suppress(OSError):
            self._file.close()
        self._socket.close()

    # Words on the wire

    def _asked(self, command: bytes) -> _Answer:
        try:
            self._socket.sendall(command + b"\r\n")
        except OSError as error:
            raise self._lost(error) from error
        return self._answer()

    def _done(self, answer: _Answer) -> _Answer:
        if answer.status == "OK":
            return answer
        if answer.code.startswith("QUOTA"):
            raise NoScriptRoomError(f"{self._address} has no room: {answer.words}", _FIELD)
        if answer.status == "BYE":
            raise ServerLostError(f"{self._address} broke off: {answer.words}", _FIELD)
        raise CommandRefusedError(f"{self._address} refused it: {answer.words}", _FIELD)

    def _lost(self, error: BaseException) -> ServerLostError:
        return ServerLostError(f"{self._address} broke off: {error}", _FIELD)

    def _answer(self) -> _Answer:
        """The lines up to OK, NO or BYE."""
        lines: list[list[bytes]] = []
        size = 0
        while True:
            words, first = self._line()
            size += sum(map(len, words)) + 4  # quotes and a line end
            if size > _MOST_ANSWER:
                raise NotFollowedError(f"{self._address} answers without end", _FIELD)
            status = first.upper().decode("ascii", "replace")
            if status in ("OK", "NO", "BYE"):
                return _ended(lines, status, words[1:])
            lines.append(words)

    def _line(self) -> tuple[list[bytes], bytes]:
        """One line in words; the first as it stands, empty where it was quoted."""
        words: list[bytes] = []
        first = b""
        line, at = self._octets_of_line(), 0
        while at < len(line):
            match = _WORD.match(line, at)
            if match is None:
                raise NotFollowedError(f"{self._address} does not speak ManageSieve", _FIELD)
            if match[4] is not None:
                words.append(self._literal(int(match[4])))
                line, at = self._octets_of_line(), 0
                continue
            if not words:
                first = match[3] or b""
            quoted = match[1]
            words.append(match[2] or match[3] if quoted is None else _unquoted(quoted))
            at = match.end()
        return words, first

    def _octets_of_line(self) -> bytes:
        try:
            line = self._file.readline(_MOST_LINE)
        except (OSError, ValueError) as error:
            raise self._lost(error) from error
        if not line.endswith(b"\n"):
            raise ServerLostError(f"{self._address} broke off in the middle of a line", _FIELD)
        return line.rstrip()

    def _literal(self, size: int) -> bytes:
        if size > _MOST_ANSWER:
            raise NotFollowedError(f"{self._address} answers without end", _FIELD)
        try:
            octets = self._file.read(size)
        except OSError as error:
            raise self._lost(error) from error
        if len(octets) < size:
            raise ServerLostError(f"{self._address} broke off in the middle of a script", _FIELD)
        return octets


def _ended(lines: list[list[bytes]], status: str, words: list[bytes]) -> _Answer:
    code = ""
    if words and words[0].startswith(b"("):
        code = words[0][1:-1].decode("utf-8", "replace").upper()
        words = words[1:]
    said = " ".join(words[0].decode("utf-8", "replace").split()) if words else ""
    return _Answer(lines, status, code, said[:500] or "it gives no reason")


def _unquoted(text: bytes) -> bytes:
    return re.sub(rb"\\(.)", rb"\1", text)


def _quoted(text: str) -> bytes:
    escaped = re.sub(r'(["\\])', r"\\\1", text)
    return f'"{escaped}"'.encode()


def _literal(octets: bytes) -> bytes:
    """A literal that waits for nothing (RFC 5804, section 4: non-synchronizing)."""
    return b"{%d+}\r\n%s" % (len(octets), octets)
