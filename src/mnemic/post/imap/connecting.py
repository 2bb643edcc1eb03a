"""Connecting to a mail server and logging in."""

import imaplib
import re
import socket
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from imapclient import IMAPClient

from mnemic.post.access import PATIENCE, Access, refuse_the_open_net, unreachable, words_of
from mnemic.post.failures import AccessRefusedError, ServerLostError, UnreachableError

__all__ = ["connected"]

#: Answers to a login that say nothing of the password: it may be tried again (RFC 5530).
_BUSY = re.compile(r"command error: BAD|\[(UNAVAILABLE|INUSE|LIMIT)\]", re.IGNORECASE)


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
        refuse_the_open_net(access)
    context = None if access.security == "none" else access.trust()
    try:
        client = IMAPClient(
            access.host,
            access.port,
            ssl=access.security == "tls",
            ssl_context=context,
            timeout=PATIENCE,
        )
    except Exception as error:
        raise _failed(access, error) from error
    client.normalise_times = False  # else dates come back without their zone
    client._imap.debug = 0  # else every line is formatted for a log
    client.socket().setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    if access.security == "starttls":
        try:
            client.starttls(context)
        except Exception as error:
            with suppress(Exception):
                client.shutdown()
            raise _failed(access, error) from error
    return client


def _failed(access: Access, error: BaseException) -> UnreachableError:
    if isinstance(error, imaplib.IMAP4.error):
        return UnreachableError(
            f"{access.address} does not speak IMAP as it should: {words_of(error)}"
        )
    return unreachable(access, error)


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
