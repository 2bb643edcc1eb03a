"""The SMTP listener (RFC 5321): mail's way in. The answer 250 is given after delivery alone."""

import logging
from asyncio import AbstractServer
from collections.abc import Callable, Coroutine
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from socket import socket
from typing import Any, TypeAlias

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Session
from aiosmtpd.smtp import Envelope as SmtpEnvelope

from mnemic.core import Envelope, NoRoomError

__all__ = ["SIZE_LIMIT", "Delivery", "SmtpListener"]

log = logging.getLogger(__name__)

#: The largest message taken, in octets (announced by SIZE, RFC 1870). Common mail services take
#: between 20 and 50 MB; a message is held in memory while it is taken in.
SIZE_LIMIT = 50 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class Delivery:
    """A message as SMTP handed it over."""

    octets: bytes
    envelope: Envelope


#: Deliveries that may wait at a time for the disk; those that wait are written together.
_WAITING = 32

Deliver: TypeAlias = Callable[[Delivery], None]


class _Handler:
    def __init__(self, deliver: Deliver) -> None:
        self._deliver = deliver
        self._threads = ThreadPoolExecutor(_WAITING, thread_name_prefix="delivery")

    async def handle_DATA(  # noqa: N802 -- the name that aiosmtpd calls
        self,
        server: SMTP,
        session: Session,  # noqa: ARG002 -- aiosmtpd passes it
        envelope: SmtpEnvelope,
    ) -> str:
        octets = envelope.content or b""
        if isinstance(octets, str):
            octets = octets.encode("utf-8", "surrogateescape")
        sender = envelope.mail_from or ""
        return_path = "" if sender == "<>" else sender  # RFC 5321, section 4.5.5: the null path
        delivery = Delivery(octets, Envelope(return_path, tuple(envelope.rcpt_tos)))
        try:
            await server.loop.run_in_executor(self._threads, self._deliver, delivery)
        except NoRoomError as error:  # RFC 5321, section 4.2.3; RFC 3463, section 3.4
            log.warning("a message was left to its sender: %s", error)
            return "452 4.3.1 There is no room left for mail; please try again later"
        except Exception:  # whatever went wrong, the sender keeps the message and tries again
            log.exception("a message could not be taken in")
            return "451 4.3.0 The message could not be stored; please try again later"
        return "250 2.0.0 Taken"

    def close(self) -> None:
        """Wait for what is on its way."""
        self._threads.shutdown()


class _PatientSmtp(SMTP):
    """Takes lines beyond the 998 octets of RFC 5322, 2.1.1: whoever sends them sends no others."""

    line_length_limit = 4 * 1024 * 1024  # a whole page of HTML on one line


class _SocketController(Controller):
    """A controller that serves a socket which listens already: nothing can take its port."""

    def __init__(self, listening: socket, handler: _Handler) -> None:
        host, port = listening.getsockname()[:2]
        super().__init__(
            handler,
            hostname=host,
            port=port,
            data_size_limit=SIZE_LIMIT,
            enable_SMTPUTF8=True,
            decode_data=False,
            ident="Mnemic",
        )
        self._listening = listening

    def factory(self) -> SMTP:
        """What speaks with one client."""
        return _PatientSmtp(self.handler, **self.SMTP_kwargs)

    def _create_server(self) -> Coroutine[Any, Any, AbstractServer]:
        return self.loop.create_server(self._factory_invoker, sock=self._listening)


class SmtpListener:
    """Takes mail by SMTP on a listening socket, in a thread of its own.

    ``deliver`` is called for each message and has to return only when it is safe on disk.
    """

    def __init__(self, listening: socket, deliver: Deliver) -> None:
        self.port: int = listening.getsockname()[1]
        self._handler = _Handler(deliver)
        self._controller = _SocketController(listening, self._handler)

    def start(self) -> None:
        """Begin to take mail."""
        self._controller.start()

    def stop(self) -> None:
        """Stop; a message on its way is finished first."""
        self._controller.stop()
        self._handler.close()
