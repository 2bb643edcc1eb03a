"""The stand-in as a process of its own: IMAP, SMTP, submission and ManageSieve on loopback."""

import asyncio
import json
import os
import signal
import ssl
import sys
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from twisted.internet import asyncioreactor

__all__ = ["StandIn", "serve"]

_HOST = "127.0.0.1"

#: Seconds between two looks at whether something is to be written to disk.
_KEEPS_EVERY = 0.5


@dataclass(frozen=True)
class StandIn:
    """What a stand-in is to serve; a port of 0 is any free one.

    ``certificate`` is a PEM file with a key and certificates: with it there is TLS, and STARTTLS.
    ``without`` names extensions of IMAP and of Sieve that are switched off, in capitals;
    ``script_space`` octets the scripts of an account may have. ``while_input``: it ends with its
    standard input, and so with whoever started it.
    """

    folder: Path
    user: str
    password: str
    imap_port: int = 0
    smtp_port: int = 0
    submission_port: int = 0
    sieve_port: int = 0
    script_space: int = 1_000_000
    certificate: Path | None = None
    without: frozenset[str] = field(default_factory=frozenset)
    while_input: bool = False


def serve(asked: StandIn, ready: Callable[[dict[str, int]], None] | None = None) -> None:
    """Serve until SIGTERM or SIGINT; the ports are told once all of them listen.

    They are told as a line of JSON on standard output, where nobody is ``ready`` to take them.
    """
    loop = asyncio.new_event_loop()
    asyncioreactor.install(loop)
    serving = _Serving(asked, loop, ready or _print)
    listening = loop.create_task(serving.listen())
    listening.add_done_callback(_end_on_failure)
    for number in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(number, serving.stop)
    if asked.while_input:
        loop.add_reader(sys.stdin.fileno(), serving.end_with_input)
    serving.run()


def _end_on_failure(listening: "asyncio.Task[None]") -> None:
    """A port that is taken ends the process with a sentence: nobody would hear of it else."""
    failure = listening.exception()
    if failure is not None:
        print(f"stand-in: {failure}", file=sys.stderr, flush=True)  # noqa: T201
        os._exit(1)


def _print(ports: dict[str, int]) -> None:
    print(json.dumps(ports), flush=True)  # noqa: T201 -- what whoever started it waits for


class _Serving:
    def __init__(
        self,
        asked: StandIn,
        loop: asyncio.AbstractEventLoop,
        ready: Callable[[dict[str, int]], None],
    ) -> None:
        from mnemic.stand_in.boxes import Account
        from mnemic.stand_in.keeping import Keeping
        from mnemic.stand_in.submission import Post

        self._asked, self._loop, self._ready = asked, loop, ready
        self._keeping = Keeping(asked.folder)
        account = Account(asked.user, asked.password)
        self._keeping.read(account)
        self._accounts = {account.user: account}
        self._post = Post(self._accounts, asked.folder / "sent")
        self._kept: list[object] = []
        self._writer = ThreadPoolExecutor(max_workers=1)

    async def listen(self) -> None:
        """Listen on all ports, and say which they are."""
        asked, ports = self._asked, {}
        tls = _smtp_context(asked.certificate)
        ports["imap"] = await self._imap(asked.imap_port, implicit_tls=False)
        if asked.certificate is not None:
            ports["imaps"] = await self._imap(0, implicit_tls=True)
        for name, port, make in (
            ("smtp", asked.smtp_port, self._post.incoming),
            ("submission", asked.submission_port, lambda: self._post.submission(tls)),
        ):
            server = await self._loop.create_server(make, _HOST, port)
            ports[name] = server.sockets[0].getsockname()[1]
        ports["sieve"] = await self._managesieve(asked.sieve_port)
        self._keeps = self._loop.create_task(self._keep())
        self._ready(ports)

    async def _imap(self, port: int, *, implicit_tls: bool) -> int:
        from twisted.internet import endpoints, protocol, reactor

        from mnemic.stand_in.message_commands import Server

        asked = self._asked
        tls = _imap_context(asked.certificate)
        factory = protocol.Factory()
        factory.noisy = False
        starts = None if implicit_tls else tls
        factory.buildProtocol = lambda _: Server(self._accounts, starts, asked.without)
        if implicit_tls:
            at = endpoints.SSL4ServerEndpoint(reactor, port, tls, interface=_HOST)
        else:
            at = endpoints.TCP4ServerEndpoint(reactor, port, interface=_HOST)
        listening = await at.listen(factory).asFuture(self._loop)
        return int(listening.getHost().port)

    async def _managesieve(self, port: int) -> int:
        from twisted.internet import endpoints, protocol, reactor

        from mnemic.stand_in.managesieve import ManageSieve
        from mnemic.stand_in.sieve import CAPABILITIES

        asked = self._asked
        tls = _imap_context(asked.certificate)
        can = frozenset(name for name in CAPABILITIES if name.upper() not in asked.without)
        factory = protocol.Factory()
        factory.noisy = False
        factory.buildProtocol = lambda _: ManageSieve(self._accounts, tls, can, asked.script_space)
        at = endpoints.TCP4ServerEndpoint(reactor, port, interface=_HOST)
        listening = await at.listen(factory).asFuture(self._loop)
        return int(listening.getHost().port)

    async def _keep(self) -> None:
        while True:
            await asyncio.sleep(_KEEPS_EVERY)
            now = self._state()
            if now != self._kept:  # others are answered while it is written
                changes = self._keeping.changes(self._accounts)
                await self._loop.run_in_executor(self._writer, self._keeping.write, changes)
                self._kept = now

    def _state(self) -> list[object]:
        """What is another as soon as something has to be written."""
        boxes = [
            (box.name, box.validity, box.modseq, box.subscribed)
            for account in self._accounts.values()
            for box in account.boxes.values()
        ]
        scripts = [(dict(user.scripts), user.active) for user in self._accounts.values()]
        return [boxes, scripts]

    def stop(self) -> None:
        """End, with all written."""
        from twisted.internet import reactor

        self._keeps.cancel()
        self._writer.shutdown()  # what is being written is known as kept before the rest is
        if self._state() != self._kept:
            self._keeping.write(self._keeping.changes(self._accounts))
        reactor.stop()

    def end_with_input(self) -> None:
        """End where there is no more input; what there is says nothing."""
        if not os.read(sys.stdin.fileno(), 1_024):
            self._loop.remove_reader(sys.stdin.fileno())
            self.stop()

    def run(self) -> None:
        """Serve until it is stopped."""
        from twisted.internet import reactor

        reactor.run(installSignalHandlers=False)


def _imap_context(certificate: Path | None) -> Any:
    if certificate is None:
        return None
    from twisted.internet import ssl as twisted_ssl

    return twisted_ssl.PrivateCertificate.loadPEM(certificate.read_bytes()).options()


def _smtp_context(certificate: Path | None) -> ssl.SSLContext | None:
    if certificate is None:
        return None
    context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
    context.load_cert_chain(certificate)
    return context
