"""Letters leave by an account's submission server (RFC 6409)."""

import base64
import re
import smtplib
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass

import idna

from mnemic.post.access import PATIENCE, Access, refuse_the_open_net, unreachable, words_of
from mnemic.post.failures import (
    AccessRefusedError,
    ServerError,
    ServerLostError,
    UnreachableError,
)

__all__ = ["Letter", "LetterPutOffError", "LetterRefusedError", "SubmissionServer", "submitting"]

#: Seconds for one answer once a letter is on its way: servers look through it before they take it.
_LETTER_PATIENCE = 120

#: Codes that say "not now" and "never" begin so; and what ends the connection (RFC 5321, 4.2).
_NOT_NOW, _NEVER, _GOES = 400, 500, 421

#: The answers to a login that worked, and to one that wants more (RFC 4954, sections 4 and 6).
_LET_IN, _CHALLENGE = 235, 334

_LINE_END = re.compile(rb"\r\n|\r|\n")


class LetterRefusedError(ServerError):
    """The server will not take this letter, now or later."""


class LetterPutOffError(ServerError):
    """The server will not take this letter now; others it may."""


@dataclass(frozen=True, slots=True)
class Letter:
    """A letter, from whom and to whom. An ``automatic`` one has no return path (RFC 3834, 3.3)."""

    sender: str
    recipient: str
    octets: bytes
    automatic: bool = False


@contextmanager
def submitting(access: Access) -> Iterator["SubmissionServer"]:
    """A submission server, logged in; it is left with the block.

    Raises UnreachableError, AccessRefusedError, ServerLostError, each a sentence.
    """
    if access.security == "none":
        refuse_the_open_net(access)
    client: smtplib.SMTP | None = None
    try:
        client = _reached(access)
        yield _logged_in(client, access)
    finally:
        if client is not None:
            with suppress(Exception):  # it may be broken: then there is nothing to say goodbye to
                client.quit()
            client.close()


def _reached(access: Access) -> smtplib.SMTP:
    context = None if access.security == "none" else access.trust()
    where = access.host, access.port
    client: smtplib.SMTP | None = None
    try:
        if access.security == "tls":
            client = smtplib.SMTP_SSL(*where, timeout=PATIENCE, context=context)
        else:
            client = smtplib.SMTP(*where, timeout=PATIENCE)
        client.ehlo_or_helo_if_needed()
        if access.security == "starttls":
            client.starttls(context=context)
            client.ehlo_or_helo_if_needed()
    except (smtplib.SMTPException, OSError, ValueError) as error:
        if client is not None:
            client.close()
        raise _unreachable(access, error) from error
    return client


def _unreachable(access: Access, error: Exception) -> UnreachableError:
    if isinstance(error, smtplib.SMTPException | ValueError):
        saying = f"{access.address} does not speak SMTP as it should: {_said(error)}"
        return UnreachableError(saying, "submission")
    failure = unreachable(access, error)
    return UnreachableError(str(failure), "submission")


def _logged_in(client: smtplib.SMTP, access: Access) -> "SubmissionServer":
    given = access.secret.read()
    try:
        code, said = _log_in(client, access, given)
    except smtplib.SMTPNotSupportedError as error:
        saying = f"{access.address} lets nobody log in; look at the port and the security"
        raise UnreachableError(saying, "submission") from error
    except smtplib.SMTPResponseException as error:
        code, said = error.smtp_code, _said(error)
    except (smtplib.SMTPException, OSError, ValueError) as error:
        raise ServerLostError(
            f"{access.address} broke off: {_said(error)}", "submission"
        ) from error
    if code >= _NEVER:
        raise AccessRefusedError(
            f"{access.address} refused the user name or the password: {said}", "submission"
        )
    if code != _LET_IN:
        raise ServerLostError(f"{access.address} lets nobody in now: {said}", "submission")
    return SubmissionServer(client, access.address)


def _log_in(client: smtplib.SMTP, access: Access, given: str) -> tuple[int, str]:
    """Log in by the first way that both know; smtplib's own takes ASCII alone."""
    ways = client.esmtp_features.get("auth", "").upper().split()
    user = access.user
    if access.secret.kind == "token-command":
        if "OAUTHBEARER" in ways:  # RFC 7628, section 3.1
            where = f"host={access.host}\x01port={access.port}"
            return _authenticate(
                client, "OAUTHBEARER", f"n,a={user},\x01{where}\x01auth=Bearer {given}\x01\x01"
            )
        return _authenticate(client, "XOAUTH2", f"user={user}\x01auth=Bearer {given}\x01\x01")
    if "PLAIN" in ways:  # RFC 4616: it takes every character there is
        return _authenticate(client, "PLAIN", f"\0{user}\0{given}")
    code, said = client.login(user, given)
    return code, _text(said)


def _authenticate(client: smtplib.SMTP, way: str, response: str) -> tuple[int, str]:
    code, said = client.docmd("AUTH", f"{way} {base64.b64encode(response.encode()).decode()}")
    if code == _CHALLENGE:  # a token's refusal comes with its reason, and wants an empty answer
        code, said = client.docmd("AQ==")
    return code, _text(said)


class SubmissionServer:
    """A submission server that one is logged in to."""

    def __init__(self, client: smtplib.SMTP, address: str) -> None:
        self._client, self._address = client, address

    def send(self, letter: Letter) -> str:
        """Hand a letter over; the server's words.

        Raises LetterRefusedError where it will never take it, LetterPutOffError where not now, and
        ServerLostError where it broke off.
        """
        assert self._client.sock is not None  # noqa: S101 -- one is logged in
        self._client.sock.settimeout(_LETTER_PATIENCE)
        try:
            return self._hand_over(letter)
        except (smtplib.SMTPException, OSError, ValueError) as error:
            saying = f"{self._address} broke off: {_said(error)}"
            raise ServerLostError(saying, "submission") from error

    def _hand_over(self, letter: Letter) -> str:
        client = self._client
        client.rset()
        sender, recipient = _plain(letter.sender), _plain(letter.recipient)
        options = self._options(letter, ascii_only=(sender + recipient).isascii())
        if not (letter.automatic and self._takes_null_return_path(options)):
            self._expect(client.mail(sender, options))
        self._expect(client.rcpt(recipient))
        try:
            return self._expect(client.data(_LINE_END.sub(b"\r\n", letter.octets)))
        except smtplib.SMTPDataError as error:
            return self._expect((error.smtp_code, error.smtp_error))

    def _takes_null_return_path(self, options: list[str]) -> bool:
        answer = self._client.mail("", options)
        if answer[0] < _NEVER:
            self._expect(answer)
            return True
        self._client.rset()
        return False

    def _options(self, letter: Letter, *, ascii_only: bool) -> list[str]:
        knows, eight_bit = self._client.has_extn, not letter.octets.isascii()
        options = ["BODY=8BITMIME"] if eight_bit and knows("8bitmime") else []
        if not ascii_only:
            if not knows("smtputf8"):
                raise LetterRefusedError(
                    f"{self._address} takes no address with other letters than ASCII’s",
                    "submission",
                )
            options.append("SMTPUTF8")
        return options

    def _expect(self, answer: tuple[int, bytes | str]) -> str:
        code, said = answer[0], _text(answer[1])
        if code < _NOT_NOW:
            return said
        if code >= _NEVER:
            raise LetterRefusedError(f"{code} {said}", "submission")
        if code == _GOES:
            raise ServerLostError(f"{self._address} broke off: {said}", "submission")
        raise LetterPutOffError(f"{code} {said}", "submission")


def _plain(address: str) -> str:
    """An address with its domain in ASCII, which every server takes (RFC 5890)."""
    local, at, domain = address.rpartition("@")
    if domain.isascii():
        return address
    try:
        return f"{local}{at}{idna.encode(domain, uts46=True).decode()}"
    except (idna.IDNAError, UnicodeError):
        return address


def _text(said: bytes | str) -> str:
    text = said.decode("utf-8", "replace") if isinstance(said, bytes) else said
    return " ".join(text.split())[:200]


def _said(error: Exception) -> str:
    if isinstance(error, smtplib.SMTPResponseException):
        return f"{error.smtp_code} {_text(error.smtp_error)}"
    return words_of(error)
