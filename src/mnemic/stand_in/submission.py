"""SMTP for the stand-in, by aiosmtpd: what comes in, and submission by those who log in."""

import ssl
from dataclasses import dataclass, field
from typing import Any

from aiosmtpd.smtp import SMTP, AuthResult, Envelope, LoginPassword, Session

from mnemic.stand_in.boxes import Account

__all__ = ["Post", "SentOut"]


@dataclass(frozen=True, slots=True)
class SentOut:
    """A letter that left for somewhere else."""

    sender: str
    recipients: tuple[str, ...]
    octets: bytes


@dataclass
class Post:
    """Takes letters: those to accounts here go to their inboxes, others are only kept."""

    accounts: dict[str, Account]
    sent: list[SentOut] = field(default_factory=list)

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
        away = []
        for recipient in envelope.rcpt_tos:
            local, _, domain = recipient.partition("@")
            account = self.accounts.get(f"{local.partition('+')[0]}@{domain}")
            if account is None:
                away.append(recipient)
                continue
            head = f"Return-Path: <{envelope.mail_from}>\r\nDelivered-To: {recipient}\r\n".encode()
            account.boxes["INBOX"].add(head + octets)
        if away:
            self.sent.append(SentOut(envelope.mail_from or "", tuple(away), octets))
        return "250 2.0.0 taken"

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
