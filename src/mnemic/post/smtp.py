"""The SMTP listener (RFC 5321): mail's way in. The answer 250 is given after delivery alone."""

import asyncio
import errno
import logging
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeAlias

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Session
from aiosmtpd.smtp import Envelope as SmtpEnvelope

from mnemic.core import Envelope, MnemicError

__all__ = ["Delivery", "PortInUseError", "SmtpListener"]

log = logging.getLogger(__name__)

#: The largest message taken, in octets (announced by SIZE, RFC 1870). Common mail services take
#: between 20 and 50 MB; a message is held in memory while it is taken in.
_SIZE_LIMIT = 50 * 1024 * 1024


class PortInUseError(MnemicError):
    """Another program listens on the port already."""


@dataclass(frozen=True, slots=True)
class Delivery:
    """A message as SMTP handed it over."""

    octets: bytes
    envelope: Envelope


Deliver: TypeAlias = Callable[[Delivery], None]


class _Handler:
    def __init__(self, deliver: Deliver) -> None:
        self._deliver = deliver
        # One delivery at a time: SQLite has one writer, and mail keeps its order.
        self._turn = threading.Lock()

    async def handle_DATA(  # noqa: N802 -- the name that aiosmtpd calls
        self,
        server: SMTP,
        session: Session,  # noqa: ARG002 -- aiosmtpd passes it
        envelope: SmtpEnvelope,
    ) -> str:
        octets = envelope.content or b""
        if isinstance(octets, str):
            octets = octets.encode("utf-8", "surrogateescape")
        delivery = Delivery(octets, Envelope(envelope.mail_from or "", tuple(envelope.rcpt_tos)))
        try:
            await server.loop.run_in_executor(None, self._one, delivery)
        except Exception:  # whatever went wrong, the sender keeps the message and tries again
            log.exception("a message could not be taken in")
            return "451 4.3.0 The message could not be stored; please try again later"
        return "250 2.0.0 Taken"

    def _one(self, delivery: Delivery) -> None:
        with self._turn:
            self._deliver(delivery)


class _AnyPortController(Controller):
    """A controller that may be told to take any free port (0), too."""

    def bound_port(self) -> int:
        assert isinstance(self.server, asyncio.Server)  # noqa: S101 -- for the type checker
        port: int = self.server.sockets[0].getsockname()[1]
        return port

    def _trigger_server(self) -> None:
        # The parent asks its own address for a greeting, so it has to know the port it got.
        self.port = self.bound_port()
        super()._trigger_server()  # type: ignore[no-untyped-call] # untyped in aiosmtpd


class SmtpListener:
    """Listens for SMTP on a loopback address, in a thread of its own.

    ``deliver`` is called for each message and has to return only when it is safe on disk.
    ``start`` raises PortInUseError.
    """

    def __init__(self, host: str, port: int, deliver: Deliver) -> None:
        self._host, self._port = host, port
        self._controller = _AnyPortController(
            _Handler(deliver),
            hostname=host,
            port=port,
            data_size_limit=_SIZE_LIMIT,
            enable_SMTPUTF8=True,
            decode_data=False,
            ident="Mnemic",
        )

    def start(self) -> None:
        """Begin to listen."""
        try:
            self._controller.start()
        except OSError as error:
            if error.errno != errno.EADDRINUSE:
                raise
            raise PortInUseError(
                f"port {self._port} (SMTP) is in use; stop the other program, "
                "or set MNEMIC_SMTP_PORT to another port"
            ) from error

    @property
    def port(self) -> int:
        """The port it listens on (also where the setting said 0)."""
        return self._controller.bound_port()

    def stop(self) -> None:
        """Stop listening; a message on its way is finished first."""
        self._controller.stop()
