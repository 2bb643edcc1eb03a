"""SMTP for the stand-in, by aiosmtpd: what comes in, and submission by those who log in."""

import ssl
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from aiosmtpd.smtp import SMTP, AuthResult, Envelope, LoginPassword, Session

from mnemic.stand_in.boxes import Account
from mnemic.stand_in.delivery import deliver

__all__ = ["Post"]


@dataclass
class Post:
    """Takes letters: those to accounts here are delivered there, others into files in ``sent``.

    An account has every address of its domain that no other one has.
    """

    accounts: dict[str, Account]
    sent: Path

    def _log_in(
        self, server: Any, session: Session, envelope: Envelope, mechanism: str, given: Any
    ) -> AuthResult:
        good = False
        if isinstance(given, LoginPassword):
            account = self.accounts.get(given.login.decode())
            good = account is not None and account.password == given.password.decode()
        return AuthResult(success=good, handled=False)

    async def handle_DATA(self, server: Any, session: Session, envelope: Envelope) -> str:
        """Deliver a letter."""
        content = envelope.content
        octets = content if isinstance(content, bytes) else (content or "").encode()
        sender = (envelope.mail_from or "").strip("<>")
        for recipient in envelope.rcpt_tos:
            account = self._account(recipient)
            head = f"Return-Path: <{sender}>\r\nDelivered-To: {recipient}\r\n".encode()
            if account is not None:
                deliver(account, head + octets, sender, recipient, self._keep)
            else:
                self._keep(head + octets)
        return "250 2.0.0 taken"

    def _account(self, recipient: str) -> Account | None:
        local, _, domain = recipient.partition("@")
        known = self.accounts.get(f"{local.partition('+')[0]}@{domain}")
        if known is not None:
            return known
        ours = (account for name, account in self.accounts.items() if name.endswith(f"@{domain}"))
        return next(ours, None)

    def _keep(self, octets: bytes) -> None:
        """Keep a letter to somewhere else: it goes no further."""
        self.sent.mkdir(parents=True, exist_ok=True)
        number = sum(1 for _ in self.sent.iterdir()) + 1
        (self.sent / f"{number:06}.eml").write_bytes(octets)

    def incoming(self) -> SMTP:
        """A connection of one who brings mail."""
        return SMTP(self, enable_SMTPUTF8=True, ident="stand-in", hostname="localhost")

    def submission(self, tls: ssl.SSLContext | None) -> SMTP:
        """A connection of one who logs in to send mail."""
        return SMTP(
            self,
            authenticator=self._log_in,
            auth_required=True,
            auth_require_tls=tls is not None,
            tls_context=tls,
            enable_SMTPUTF8=True,
            ident="stand-in",
            hostname="localhost",
        )
