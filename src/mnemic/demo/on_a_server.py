"""The demo's account on a simulated server: the stand-in is started, filled, and connected."""

import json
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

from mnemic.core import MnemicError
from mnemic.core.message.addresses import parse_addresses
from mnemic.demo.generator import generate, office
from mnemic.jobs.server.connecting import connect, try_out
from mnemic.jobs.server.handing_over import note_place
from mnemic.post.access import Access, Secret
from mnemic.post.imap import ServerMailbox, connected
from mnemic.post.imap.other_device import Elsewhere
from mnemic.store import Database
from mnemic.store.owner.accounts import list_accounts
from mnemic.store.server.connections import Reach, connections, set_server
from mnemic.store.server.secret_key import SecretKey
from mnemic.store.server.server_scripts import ScriptPlace

__all__ = ["on_a_server"]

_HOST = "127.0.0.1"

#: The password of a made-up server on this computer alone: it is no secret.
_PASSWORD = "towpath"  # noqa: S105

#: Another sequence than that of the mail that lies on this computer.
_SEED = 20_261_130

#: How many messages lie in the inbox there, and in a folder of older ones.
_NEWEST, _OLDER, _OLDER_FOLDER = 40, 8, "Committee"


class StandInError(MnemicError):
    """The stand-in did not start."""


@contextmanager
def on_a_server(folder: Path, database: Database, key: SecretKey) -> Iterator[Elsewhere]:
    """A stand-in whose mail is kept in ``folder``, as long as the block lasts; connected, acting.

    It listens on other ports each time: the account follows. Raises StandInError, ServerError.
    """
    user = parse_addresses(office()["owner"])[0].address
    is_new = not folder.exists()
    with _process(folder, user) as ports:
        access = Access(_HOST, ports["imap"], "none", user, Secret("password", _PASSWORD))
        if is_new:
            _fill(access)
        _connect(database, key, access, ports["submission"])
        _note_scripts(database, ports["sieve"])
        yield Elsewhere(access, (_HOST, ports["smtp"]))


@contextmanager
def _process(folder: Path, user: str) -> Iterator[dict[str, int]]:
    """The stand-in in a process of its own: its ports. It ends with the block, or with us."""
    command = [
        *(sys.executable, "-m", "mnemic", "stand-in", "--folder", str(folder)),
        *("--user", user, "--password", _PASSWORD, "--while-input"),
    ]
    with subprocess.Popen(  # noqa: S603 -- it is our own program
        command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as process:
        try:
            line = process.stdout.readline() if process.stdout else ""
            if not line:
                raise StandInError("the stand-in did not start; run “mnemic stand-in” to see why")
            yield json.loads(line)
        finally:
            if process.stdin:
                process.stdin.close()
            process.wait(timeout=20)


def _fill(access: Access) -> None:
    """Mail that waits on the server: newest in the inbox, some older in a folder."""
    written = generate(datetime.now(UTC), seed=_SEED)[-_NEWEST - _OLDER :]
    with connected(access) as client:
        mailbox = ServerMailbox(client)
        mailbox.make(_OLDER_FOLDER)
        for number, message in enumerate(written):
            folder = _OLDER_FOLDER if number < _OLDER else "INBOX"
            flags = ["\\Seen"] if message.seen else []
            head = f"Delivered-To: {message.recipients[0]}\r\n".encode()
            mailbox.append(folder, head + message.octets, flags, message.received)


def _connect(database: Database, key: SecretKey, access: Access, submission: int) -> None:
    """Connect the owner's account, or tell it where its server is now."""
    with database.reading() as session:
        (account, *_) = list_accounts(session)
        is_there = any(connection.account.id == account.id for connection in connections(session))
    if is_there:
        with database.writing() as session:
            set_server(session, account.id, access.port, submission)
        return
    reach = Reach(
        _HOST,
        access.port,
        "none",
        access.user,
        "password",
        _PASSWORD,
        submission=(_HOST, submission, "none"),
    )
    tried = try_out(reach)
    with database.writing() as session:
        connect(session, replace(account, id=0), reach, key, acting=True, tried=tried)


def _note_scripts(database: Database, port: int) -> None:
    """Tell where the account's scripts are kept now."""
    with database.writing() as session:
        (connection, *_) = connections(session)
        note_place(session, connection.account.id, ScriptPlace(_HOST, port, "none"))
