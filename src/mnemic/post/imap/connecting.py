"""Connecting to a mail server and logging in."""

import imaplib
import ipaddress
import re
import socket
import ssl
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from typing import Any, Literal, TypeAlias

from imapclient import IMAPClient

from mnemic.post.imap.failures import (
    AccessRefusedError,
    ServerError,
    ServerLostError,
    UnreachableError,
)

__all__ = ["Access", "Secret", "Security", "connected", "words_of"]

Security: TypeAlias = Literal["tls", "starttls", "none"]

#: Seconds to wait for one answer.
_PATIENCE = 20

#: Seconds that a command may take to print a password.
_COMMAND_PATIENCE = 30

#: Answers to a login that say nothing of the password: it may be tried again (RFC 5530).
_BUSY = re.compile(r"command error: BAD|\[(UNAVAILABLE|INUSE|LIMIT)\]", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Secret:
    """A password, or a command whose first line of output is a password or an access token."""

    kind: Literal["password", "password-command", "token-command"]
    value: str

    def read(self) -> str:
        """The password or token. Raises AccessRefusedError where the command gives none."""
        if self.kind == "password":
            return self.value
        try:
            done = subprocess.run(  # noqa: S602 -- it is the owner's own command, for a shell
                self.value,
                shell=True,
                check=True,
                capture_output=True,
                timeout=_COMMAND_PATIENCE,
            )
        except subprocess.TimeoutExpired as error:
            raise ServerError(
                f"the command for the password gave none within {_COMMAND_PATIENCE} seconds; run"
                " it by hand to see what it waits for",
                "password",
            ) from error
        except (OSError, subprocess.CalledProcessError) as error:
            raise ServerError(
                "the command for the password failed; run it by hand to see why", "password"
            ) from error
        first, *_ = done.stdout.decode("utf-8", "replace").splitlines() or [""]
        if not first:
            raise ServerError("the command for the password printed nothing", "password")
        return first


@dataclass(frozen=True, slots=True)
class Access:
    """Where a mailbox is on a server, and how to come in.

    ``authorities`` is a PEM file of certificates that are trusted, too.
    """

    host: str
    port: int
    security: Security
    user: str
    secret: Secret
    authorities: str | None = None

    @property
    def address(self) -> str:
        """The server and its port, as people write them."""
        return f"{self.host}:{self.port}"

    def trust(self) -> ssl.SSLContext:
        """What TLS has to be like: TLS 1.2 at least, and a certificate that can be checked."""
        try:
            context = ssl.create_default_context(cafile=self.authorities)
        except (OSError, ssl.SSLError) as error:
            raise ServerError(
                f"the file of authorities {self.authorities} can’t be read; name a PEM file", "ca"
            ) from error
        if self.authorities is not None:
            context.load_default_certs()
        context.minimum_version = ssl.TLSVersion.TLSv1_2
        return context


@contextmanager
def connected(access: Access) -> Iterator[IMAPClient]:
    """A client that is logged in; it logs out with the block.

    Raises UnreachableError, AccessRefusedError, ServerLostError, each a sentence with the field.
    """
    client = _reached(access)
    try:
        _log_in(client, access)
        yield client
    finally:
        with suppress(Exception):  # it may be broken: then there is nothing to say goodbye to
            client.logout()
        with suppress(Exception):
            client.shutdown()


def _reached(access: Access) -> IMAPClient:
    if access.security == "none":
        _refuse_the_open_net(access)
    context = None if access.security == "none" else access.trust()
    try:
        client = IMAPClient(
            access.host,
            access.port,
            ssl=access.security == "tls",
            ssl_context=context,
            timeout=_PATIENCE,
        )
    except Exception as error:
        raise _unreachable(access, error) from error
    client.normalise_times = False  # else dates come back without their zone
    client._imap.debug = 0  # else every line is formatted for a log
    client.socket().setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    if access.security == "starttls":
        try:
            client.starttls(context)
        except Exception as error:
            with suppress(Exception):
                client.shutdown()
            raise _unreachable(access, error) from error
    return client


def _refuse_the_open_net(access: Access) -> None:
    """Without TLS a password may go to this computer alone."""
    try:
        found = socket.getaddrinfo(access.host, access.port, type=socket.SOCK_STREAM)
    except OSError as error:
        raise _unreachable(access, error) from error
    for *_, address in found:
        if not ipaddress.ip_address(str(address[0]).partition("%")[0]).is_loopback:
            raise UnreachableError(
                f"{access.host} is another computer: without TLS anybody on the way could read"
                " the password; choose tls or starttls",
                "security",
            )


def _unreachable(access: Access, error: BaseException) -> UnreachableError:
    where = access.address
    if isinstance(error, socket.gaierror):
        saying = f"there is no server {access.host}; look at how it is written"
    elif isinstance(error, ssl.SSLCertVerificationError):
        saying = (
            f"the certificate of {where} can’t be trusted ({error.verify_message}); if it is"
            " your own, name the file of its authority"
        )
    elif isinstance(error, ssl.SSLError):
        saying = f"{where} does not speak TLS so ({error.reason}); try another security or port"
        return UnreachableError(saying, "security")
    elif isinstance(error, ConnectionRefusedError):
        saying = f"nothing answers at {where}; look at the port"
    elif isinstance(error, TimeoutError):
        saying = f"{where} does not answer within {_PATIENCE} seconds"
    elif isinstance(error, imaplib.IMAP4.error):
        saying = f"{where} does not speak IMAP as it should: {words_of(error)}"
    else:
        saying = f"{where} can’t be reached: {words_of(error)}"
    return UnreachableError(saying)


def _log_in(client: IMAPClient, access: Access) -> None:
    given = access.secret.read()
    try:
        if access.secret.kind != "token-command":
            _by_password(client, access.user, given)
        elif client.has_capability("AUTH=OAUTHBEARER"):
            client.oauthbearer_login(access.user, given)
        else:
            client.oauth2_login(access.user, given)
    except (imaplib.IMAP4.abort, OSError) as error:
        raise ServerLostError(f"{access.address} broke off: {words_of(error)}") from error
    except imaplib.IMAP4.error as error:
        said = words_of(error)
        if isinstance(error.__context__, imaplib.IMAP4.abort | OSError):
            raise ServerLostError(f"{access.address} broke off: {said}") from error
        if _BUSY.search(said):
            raise ServerLostError(f"{access.address} lets nobody in now: {said}") from error
        raise AccessRefusedError(
            f"{access.address} refused the user name or the password: {said}", "password"
        ) from error


def _by_password(client: IMAPClient, user: str, password: str) -> None:
    """SASL's PLAIN where there is one: it takes every character there is (RFC 4616)."""
    if client.has_capability("AUTH=PLAIN"):
        client.plain_login(user, password)
    else:
        client.login(user, password)


def words_of(error: Any) -> str:
    """What a server said, in one line that is not too long."""
    said = error.args[0] if getattr(error, "args", None) else str(error)
    text = said.decode("utf-8", "replace") if isinstance(said, bytes) else str(said)
    return " ".join(text.split())[:200] or type(error).__name__
