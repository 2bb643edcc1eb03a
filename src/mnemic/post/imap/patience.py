"""How long a server is listened to that says nothing new, and how much it may say at once."""

import imaplib
import re
import time
from typing import Any

__all__ = ["Patience"]

#: Seconds without progress after which a server is given up.
_SECONDS = 50

#: Lines without progress after which it is given up: they are kept until the command ends.
_LINES = 20_000

#: What an answer consists of that says something; others are remarks (RFC 9051, section 7).
_SAYS = re.compile(
    rb"\* (\d+ (EXISTS|EXPUNGE|FETCH)|LIST|SEARCH|VANISHED|STATUS|NAMESPACE|FLAGS)", re.IGNORECASE
)


class Patience:
    """Looks at each line and literal that a client reads, and ends what leads nowhere.

    It stands between imaplib and its socket, which wait 20 seconds for an octet, and for ever for
    a server that goes on and on about nothing.
    """

    def __init__(self, imap: Any, largest: int) -> None:
        self._readline, self._read, self._largest = imap.readline, imap.read, largest
        imap.readline, imap.read = self._line, self._literal
        self.begin()

    def begin(self) -> None:
        """A command begins: the time runs from now."""
        self._since, self._lines, self._last = time.monotonic(), 0, b""

    def _line(self) -> bytes:
        line: bytes = self._readline()
        if not line.startswith(b"*") or (_SAYS.match(line) and line != self._last):
            self._since, self._lines, self._last = time.monotonic(), 0, line
            return line
        self._lines += 1
        if self._lines > _LINES or time.monotonic() - self._since > _SECONDS:
            raise imaplib.IMAP4.abort("the server goes on and says nothing new")
        return line

    def _literal(self, size: int) -> bytes:
        if size > self._largest:
            raise imaplib.IMAP4.abort(f"the server announces {size:,} octets at once")
        octets: bytes = self._read(size)
        self._since, self._lines = time.monotonic(), 0
        return octets
