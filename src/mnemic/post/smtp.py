"""The SMTP listener (RFC 5321): mail's way in. The answer 250 is given after delivery alone."""

import logging
from asyncio import (
    AbstractEventLoop,
    AbstractServer,
    BaseTransport,
    TimerHandle,
    Transport,
)
from collections import Counter
from collections.abc import Callable, Coroutine
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from socket import socket
from typing import Any, TypeAlias

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Session
from aiosmtpd.smtp import Envelope as SmtpEnvelope

from mnemic.core import Envelope, NoRoomError
from mnemic.core.bounds import MOST_MESSAGE
from mnemic.core.message.header_text import raw_text

__all__ = ["SIZE_LIMIT", "Delivery", "SmtpListener"]

log = logging.getLogger(__name__)

#: The largest message taken, in octets (announced by SIZE, RFC 1870).
SIZE_LIMIT = MOST_MESSAGE

#: Connections in all, and from one address: a mail server opens ten at most (common practice).
_CONNECTIONS, _FROM_ONE = 64, 48

#: Seconds that a client may be silent (RFC 5321, section 4.5.3.2.7, wants five minutes), and where
#: half of the connections are taken; and that one connection may last.
_SILENCE, _SILENCE_IN_A_CROWD, _LIFETIME = 300.0, 20.0, 3_600.0

#: Recipients of one message (RFC 5321, section 4.5.3.1.8, wants 100 at least).
_RECIPIENTS = 1_000

#: Seconds between two lines of the log about a system without room for another connection.
_LOG_PACE = 60.0


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
        sender = raw_text(envelope.mail_from or "")
        return_path = "" if sender == "<>" else sender  # RFC 5321, section 4.5.5: the null path
        recipients = tuple(map(raw_text, envelope.rcpt_tos))
        delivery = Delivery(octets, Envelope(return_path, recipients))
        try:
            await server.loop.run_in_executor(self._threads, self._deliver, delivery)
        except NoRoomError as error:  # RFC 5321, section 4.2.3; RFC 3463, section 3.4
            log.warning("a message was left to its sender: %s", error)
            return "452 4.3.1 There is no room left for mail; please try again later"
        except Exception:  # whatever went wrong, the sender keeps the message and tries again
            log.exception("a message could not be taken in")
            return "451 4.3.0 The message could not be stored; please try again later"
        return "250 2.0.0 Taken"

    async def handle_RCPT(  # noqa: N802 -- the name that aiosmtpd calls
        self,
        server: SMTP,  # noqa: ARG002 -- aiosmtpd passes it
        session: Session,  # noqa: ARG002
        envelope: SmtpEnvelope,
        address: str,
        options: list[str],
    ) -> str:
        if len(envelope.rcpt_tos) >= _RECIPIENTS:
            return "452 4.5.3 Too many recipients; please send them another copy"
        envelope.rcpt_tos.append(address)
        envelope.rcpt_options.extend(options)
        return "250 2.1.5 OK"

    def close(self) -> None:
        """Wait for what is on its way."""
        self._threads.shutdown()


class _Crowd:
    """The connections that are open, by the address that they come from."""

    def __init__(self) -> None:
        self._open: Counter[str] = Counter()

    @property
    def is_large(self) -> bool:
        return self._open.total() > _CONNECTIONS // 2

    def admits(self, address: str) -> bool:
        return self._open.total() < _CONNECTIONS and self._open[address] < _FROM_ONE

    def enter(self, address: str) -> None:
        self._open[address] += 1

    def leave(self, address: str) -> None:
        self._open[address] -= 1


class _PatientSmtp(SMTP):
    """Takes lines beyond the 998 octets of RFC 5322, 2.1.1: whoever sends them sends no others.

    Where too many are connected a client is told to come again (RFC 5321, section 3.8).
    """

    line_length_limit = 4 * 1024 * 1024  # a whole page of HTML on one line

    def __init__(self, handler: _Handler, *, crowd: _Crowd, **settings: Any) -> None:
        super().__init__(handler, **settings)
        self._crowd, self._address = crowd, ""
        self._end: TimerHandle | None = None

    def connection_made(self, transport: BaseTransport) -> None:
        """A client connects."""
        address = (transport.get_extra_info("peername") or ("",))[0]
        if not self._crowd.admits(address):
            assert isinstance(transport, Transport)  # noqa: S101 -- TCP gives no other
            transport.write(b"421 4.7.0 Too many connections; please try again later\r\n")
            transport.close()
            return
        self._crowd.enter(address)
        self._address = address
        self._timeout_duration = _SILENCE_IN_A_CROWD if self._crowd.is_large else _SILENCE
        self._end = self.loop.call_later(_LIFETIME, transport.close)
        super().connection_made(transport)

    def connection_lost(self, error: Exception | None) -> None:
        """A client is gone."""
        if self._end is None:
            return  # it was never let in
        self._end.cancel()
        self._crowd.leave(self._address)
        super().connection_lost(error)


class _Quiet:
    """Logs at most once a minute that the system has no room for another connection."""

    def __init__(self) -> None:
        self._told = -_LOG_PACE

    def __call__(self, loop: AbstractEventLoop, context: dict[str, Any]) -> None:
        if "accept" not in str(context.get("message")):
            loop.default_exception_handler(context)
        elif loop.time() - self._told >= _LOG_PACE:
            self._told = loop.time()
            log.error("no mail connection can be taken: %s", context.get("exception"))


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
        self._listening, self._crowd = listening, _Crowd()
        self.loop.set_exception_handler(_Quiet())

    def factory(self) -> SMTP:
        """What speaks with one client."""
        return _PatientSmtp(self.handler, crowd=self._crowd, **self.SMTP_kwargs)

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
