"""Waiting on a server until something happens in its inbox (IDLE, RFC 2177).

IMAPClient's own can't be ended from outside, and takes half a line for a broken one.
"""

import re
import select
import socket
import ssl
import threading
import time
from collections.abc import Callable
from typing import Any

from mnemic.post.access import Access
from mnemic.post.failures import ServerLostError
from mnemic.post.imap.connecting import connected

__all__ = ["idle"]

#: What is told of messages (RFC 9051, section 7; RFC 7162).
_NEWS = re.compile(rb"\* (\d+ (EXISTS|EXPUNGE|FETCH)|VANISHED)", re.IGNORECASE)

#: Seconds after which IDLE is renewed: servers may end it after half an hour (RFC 2177).
_RENEWED = 28 * 60

#: Seconds between two looks at whether it is to end.
_LOOKS_EVERY = 0.5

#: Seconds to wait for what the server has to answer.
_PATIENCE = 20

#: How often TLS may have something to read, and nothing of it is for us.
_EMPTY = 20

#: Octets of a line that is believed.
_LINE = 65_536


def idle(access: Access, happened: Callable[[], None], stopping: threading.Event) -> None:
    """Call ``happened`` whenever the server tells of its inbox, until ``stopping`` is set.

    It is called once the server begins to tell, too: something may have happened before.

    Returns at once where the server has no IDLE. Raises ServerError where the connection fails.
    """
    with connected(access) as client:
        if not client.has_capability("IDLE"):
            return
        client.select_folder("INBOX", readonly=True)
        lines = _Lines(client)
        while not stopping.is_set():
            _idle_once(client, lines, happened, stopping)


def _idle_once(
    client: Any, lines: "_Lines", happened: Callable[[], None], stopping: threading.Event
) -> None:
    tag = client._imap._new_tag()
    client._imap.tagged_commands.pop(tag, None)
    client._imap.send(tag + b" IDLE\r\n")
    end = time.monotonic() + _RENEWED
    begun = ended = False
    waits = time.monotonic() + _PATIENCE
    while True:
        line = lines.next(_LOOKS_EVERY) or b""
        if line.startswith(b"+"):
            begun = True
            happened()  # what came between the last look and now nobody tells
        elif line.startswith(tag + b" "):
            if line.split()[1:2] != [b"OK"]:
                raise ServerLostError("the server refused to tell of new mail")
            return
        elif line.startswith(b"* BYE"):
            raise ServerLostError("the server ended the connection")
        elif _NEWS.match(line):
            happened()
        if begun and not ended and (stopping.is_set() or time.monotonic() >= end):
            client._imap.send(b"DONE\r\n")
            ended, waits = True, time.monotonic() + _PATIENCE
        if (ended or not begun) and time.monotonic() >= waits:
            raise ServerLostError("the server does not answer")


class _Lines:
    """Lines of a client's connection, waited for a while; none is lost that comes in pieces."""

    def __init__(self, client: Any) -> None:
        self._socket: socket.socket = client.socket()
        self._file = client._imap.file
        self._held, self._empty = b"", 0

    def next(self, seconds: float) -> bytes | None:
        """The next line, without its end; None where none came in time. Raises ServerLostError."""
        if b"\r\n" not in self._held:
            self._held += self._read(seconds)
        if len(self._held) > _LINE:
            raise ServerLostError("the server sends a line that does not end")
        line, ending, rest = self._held.partition(b"\r\n")
        if not ending:
            return None
        self._held = rest
        return line

    def _read(self, seconds: float) -> bytes:
        """Some octets; none where none came in time."""
        octets = self._buffered()
        if octets:
            return octets
        readable, _, _ = select.select([self._socket], [], [], seconds)
        if not readable:
            return b""
        octets = self._buffered()
        # What can be read and has nothing to read is closed; of TLS, if it stays so.
        self._empty = 0 if octets else self._empty + 1
        if self._empty > (_EMPTY if isinstance(self._socket, ssl.SSLSocket) else 0):
            raise ServerLostError("the server ended the connection")
        return octets

    def _buffered(self) -> bytes:
        """What is here by now: of what would have to be waited for nothing is said, too."""
        timeout = self._socket.gettimeout()
        self._socket.setblocking(False)
        try:
            return self._file.read1(_LINE) or b""
        except (BlockingIOError, ssl.SSLWantReadError):
            return b""
        except OSError as error:
            raise ServerLostError("the connection broke") from error
        finally:
            self._socket.settimeout(timeout)
