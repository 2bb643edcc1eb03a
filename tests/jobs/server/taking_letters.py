"""A submission server for tests, by aiosmtpd: it takes letters, or answers as it is told."""

import socket
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import AuthResult, LoginPassword

from tests.stand_in.standing_in import PASSWORD


@dataclass
class Taker:
    """A submission server; ``says`` is what it answers to a command in place of 250."""

    says: dict[str, str] = field(default_factory=dict)
    password: str = PASSWORD
    taken: list[tuple[str, list[str], bytes]] = field(default_factory=list)
    logins: int = 0

    def log_in(self, server: Any, session: Any, envelope: Any, way: str, given: Any) -> AuthResult:
        self.logins += 1
        good = isinstance(given, LoginPassword) and given.password.decode() == self.password
        return AuthResult(success=good, handled=False)

    async def handle_MAIL(
        self, server: Any, session: Any, envelope: Any, address: str, options: list[str]
    ) -> str:
        envelope.mail_from = address  # "<>" is none, and true, as aiosmtpd wants it
        return self.says.get(f"MAIL <{address.strip('<>')}>", self.says.get("MAIL", "250 fine"))

    async def handle_RCPT(
        self, server: Any, session: Any, envelope: Any, address: str, options: list[str]
    ) -> str:
        answer = self.says.get(f"RCPT <{address}>", self.says.get("RCPT", "250 fine"))
        if answer.startswith("2"):
            envelope.rcpt_tos.append(address)
        return answer

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:
        answer = self.says.get("DATA", "250 taken as 17")
        if answer.startswith("2"):
            sender = envelope.mail_from.strip("<>")
            self.taken.append((sender, envelope.rcpt_tos, envelope.content))
        return answer


@contextmanager
def taking(taker: Taker) -> Iterator[int]:
    """The port where letters are taken, as long as the block lasts."""
    with socket.create_server(("127.0.0.1", 0)) as free:
        port: int = free.getsockname()[1]
    controller = Controller(
        taker,
        hostname="127.0.0.1",
        port=port,
        authenticator=taker.log_in,
        auth_required=True,
        auth_require_tls=False,
        enable_SMTPUTF8=taker.says.get("SMTPUTF8") != "no",
    )
    controller.start()
    try:
        yield port
    finally:
        controller.stop()
