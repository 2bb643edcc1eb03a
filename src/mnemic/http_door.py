"""The door of the browser's side: connections are bounded, paced and timed, and refused early.

Everything here happens in the one thread that reads and writes sockets: what is refused by its
header is never read whole, and who sends or reads too slowly is let go.
"""

import time
from typing import Any, cast

from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.utilities import Error

from mnemic.api.own_pages import Refusal, body_limit, own_hosts, refusal
from mnemic.api.problem import ProblemDetails

__all__ = ["CONNECTION_LIMIT", "IDLE_TIMEOUT", "door_at"]

#: Connections at a time; a browser opens six a page. Beyond, the longest idle one goes.
CONNECTION_LIMIT = 300

#: Seconds that a connection may be kept open without a request.
IDLE_TIMEOUT = 20

#: Seconds until a request's header is here.
_HEADER_TIME = 15.0

#: Octets a second that a body has to come with, and an answer has to be read with, at least; and
#: the seconds after which this is looked at. A phone's connection of 2005 was faster.
_PACE, _GRACE = 4_096, 30.0


class _RefusedError(Error):
    """A refusal as the one error body of the API (RFC 9457)."""

    def __init__(self, refused: Refusal) -> None:
        super().__init__(refused.detail)
        self.code, self.reason = refused.status, refused.title
        self._refused = refused

    def to_response(self, ident: str | None = None) -> Any:
        """Status line, header fields and body."""
        del ident
        refused = self._refused
        body = ProblemDetails(title=refused.title, status=refused.status, detail=refused.detail)
        head = [("Content-Type", "application/problem+json"), ("Cache-Control", "no-store")]
        return f"{refused.status} {refused.title}", head, body.model_dump_json().encode()


class _Parser(HTTPRequestParser):
    """Refuses a request as soon as its header is here."""

    hosts: frozenset[str]
    refused: Refusal | None = None
    method = place = ""

    def parse_header(self, header_plus: bytes) -> None:
        super().parse_header(header_plus)
        read = cast("Any", self)  # waitress's types say less than it reads
        self.method, self.place = str(read.command), str(read.path)
        self.refused = refusal(self.method, self.place, self._header, self.hosts)

    def _header(self, name: str) -> str | None:
        value: str | None = self.headers.get(name.upper().replace("-", "_"))
        return value

    def received(self, data: bytes) -> int:
        consumed: int = super().received(data)
        if self.headers_finished or self.error is not None:
            self._refuse()
        return consumed

    def _refuse(self) -> None:
        refused = self.refused
        if refused is None and self.body_bytes_received > body_limit(self.method, self.place):
            refused = Refusal(413, "Too large", "The body is larger than is taken here.")
        if refused is None and self.error is not None:  # what waitress can't read
            refused = Refusal(self.error.code, self.error.reason, f"{self.error.body}.")
        if refused is not None and not isinstance(self.error, _RefusedError):
            self.error, self.completed = _RefusedError(refused), True
            self.expect_continue = False  # nothing more is wanted


class _Channel(HTTPChannel):
    """A connection that is let go where it is too slow."""

    def __init__(self, *arguments: Any, **named: Any) -> None:
        self._begun: float | None = None  # when the request that is on its way began
        self._waits: float | None = None  # since when somebody is to read what we send
        self._sent = 0
        super().__init__(*arguments, **named)
        self._make_room()

    def _make_room(self) -> None:
        """Let the longest idle connection go where there are too many."""
        others = list(cast("Any", self.server).active_channels.values())
        if len(others) <= CONNECTION_LIMIT:
            return
        idle = [other for other in others if not other.requests and other is not self]
        if idle:
            min(idle, key=lambda channel: channel.last_activity).will_close = True

    def received(self, data: bytes) -> bool:
        took: bool = super().received(data)
        if self.request is None:
            self._begun = None
        elif self._begun is None:
            self._begun = time.monotonic()
        return took

    def send(self, data: bytes, do_close: bool = True) -> int:
        sent: int = super().send(data, do_close=do_close)
        self._sent += sent
        return sent

    def writable(self) -> bool:
        # Asked of each connection whenever the sockets are looked at, once a second at least.
        now = time.monotonic()
        if self._comes_too_slowly(now) or self._is_read_too_slowly(now):
            self.will_close = True
        return bool(super().writable())

    def _comes_too_slowly(self, now: float) -> bool:
        if self._begun is None or self.request is None:
            return False
        took = now - self._begun
        if not self.request.headers_finished:
            return took > _HEADER_TIME
        return took > _GRACE + self.request.body_bytes_received / _PACE

    def _is_read_too_slowly(self, now: float) -> bool:
        if not self.total_outbufs_len:
            self._waits, self._sent = None, 0
        elif self._waits is None:
            self._waits, self._sent = now, 0
        elif now - self._waits > _GRACE:
            slow = self._sent < _PACE * _GRACE
            self._waits, self._sent = now, 0
            return slow
        return False


def door_at(port: int) -> type[HTTPChannel]:
    """What speaks with one connection of the server on ``port``."""
    parser = type("Parser", (_Parser,), {"hosts": own_hosts(port)})
    return type("Channel", (_Channel,), {"parser_class": parser})
