"""Rules of a connected account handed over to its server as a script, and brought back."""

from collections.abc import Iterable
from contextlib import suppress
from dataclasses import replace
from datetime import datetime
from itertools import chain, count

from sqlmodel import Session

from mnemic.core import MnemicError
from mnemic.jobs.server.line_as_script import LineScript, line_as_script
from mnemic.jobs.server.named_labels import make_named_labels
from mnemic.jobs.server.passing import access_to, scripts_access
from mnemic.jobs.shared.watched import WatchedError
from mnemic.post.failures import CommandRefusedError, ServerError
from mnemic.post.imap import ServerMailbox, connected
from mnemic.post.managesieve import ScriptServer, managing_scripts
from mnemic.store import Database
from mnemic.store.server.connections import Connection
from mnemic.store.server.label_keywords import label_keywords
from mnemic.store.server.server_scripts import (
    ScriptPlace,
    ServerScript,
    keep_server_script,
    server_script,
)

__all__ = ["NotHandedOverError", "bring_back", "hand_over", "note_place"]

#: What our script is called on a server where nothing else is.
_NAME = "Mnemic"


class NotHandedOverError(MnemicError):
    """Rules that are to be brought back and run here already."""


def note_place(session: Session, account_id: int, place: ScriptPlace) -> None:
    """Note where an account's scripts are kept; its rules run where they ran."""
    kept = server_script(session, account_id) or ServerScript(account_id, place, _NAME)
    keep_server_script(session, replace(kept, place=place))


def hand_over(
    database: Database, connection: Connection, place: ScriptPlace, *, now: datetime
) -> None:
    """Let the server run the line as far as it can, from now on.

    It checks the script first. What ran there before is kept here and stays there, under its name;
    so does a script of ours that somebody has changed. Nothing is half done: whatever fails, rules
    run where they ran. Where the last answer is lost, nobody can say which of both it is: rules
    that may run there rest here until the server was asked again.

    Raises WatchedError where the account is only watched, ServerError with what is wrong there.
    """
    if not connection.acting:
        name = connection.account.name
        raise WatchedError(f"“{name}” is only watched: nothing changes there; let rules act first")
    _give_keywords(database)
    access = scripts_access(connection.reach, place)
    with managing_scripts(access) as server:
        with database.reading() as session:
            kept = server_script(session, connection.account.id)
            written = line_as_script(session, connection, server.extensions)
        server.check(written.octets)
        begun = _begun(connection, kept, place, server, written, int(now.timestamp()))
        _keep(database, begun)
        _put(database, server, begun, kept)
        _keep(database, replace(begun, runs="server", put=begun.putting, putting=None))


def _give_keywords(database: Database) -> None:
    """Labels that rules name have their keywords before a script names those."""
    make_named_labels(database)
    with database.writing() as session:
        label_keywords(session, keep=True)


def _keep(database: Database, script: ServerScript) -> None:
    with database.writing() as session:
        keep_server_script(session, script)


def _begun(
    connection: Connection,
    kept: ServerScript | None,
    place: ScriptPlace,
    server: ScriptServer,
    written: LineScript,
    since: int,
) -> ServerScript:
    """What is kept before anything is changed there."""
    there = server.scripts()
    name = kept.name if kept is not None else _NAME
    if name in there.names and not _is_ours(server, kept):
        name = _free_name(there.names)
    if kept is not None and there.active == name:
        before_name, before = kept.before_name, kept.before
    else:
        before_name = there.active
        before = None if before_name is None else server.get(before_name)
    with connected(access_to(connection.reach)) as client:
        inbox = ServerMailbox(client).open("INBOX", only_look=True)
    return ServerScript(
        connection.account.id,
        place,
        name,
        "handing over",
        server.extensions,
        kept.put if kept is not None and kept.name == name else None,
        written.octets,
        written.rules,
        before_name,
        before,
        (inbox.validity, inbox.uidnext),
        since,
    )


def _is_ours(server: ScriptServer, kept: ServerScript | None) -> bool:
    """Whether the script there is as we put it: nobody has changed it, or made it meanwhile."""
    if kept is None:
        return False
    theirs = server.get(kept.name)
    return theirs is not None and theirs in (kept.put, kept.putting)


def _free_name(taken: Iterable[str]) -> str:
    names = {name.casefold() for name in taken}
    numbered = (f"{_NAME} {number}" for number in count(2))
    return next(name for name in chain([_NAME], numbered) if name.casefold() not in names)


def _put(
    database: Database, server: ScriptServer, begun: ServerScript, kept: ServerScript | None
) -> None:
    """Put the script there and let it run; where the server won't, all stays as it was."""
    assert begun.putting is not None  # noqa: S101 -- it was begun with it
    as_before = kept or replace(begun, runs="here", inbox=None)
    try:
        server.put(begun.name, begun.putting)
    except ServerError:  # it does not run: a script that came to be there is known for ours
        _keep(database, replace(as_before, name=begun.name, putting=begun.putting))
        raise
    try:
        server.activate(begun.name)
    except CommandRefusedError:
        _keep(database, replace(as_before, name=begun.name, putting=begun.putting))
        raise


def bring_back(database: Database, connection: Connection) -> None:
    """Let rules run here again: what ran on the server before runs there again.

    Another script that somebody lets run there since goes on running. Ours is taken away, unless
    somebody has changed it. The next pass, which takes in what was sorted there till now, ends it.

    Raises NotHandedOverError where they run here, ServerError with what is wrong there.
    """
    with database.reading() as session:
        kept = server_script(session, connection.account.id)
    if kept is None or not kept.sorts_there:
        raise NotHandedOverError(f"the rules of “{connection.account.name}” run here already")
    with managing_scripts(scripts_access(connection.reach, kept.place)) as server:
        there = server.scripts()
        _keep(database, replace(kept, runs="bringing back", trouble=None, asks=False))
        if there.active == kept.name:
            try:
                if kept.before_name not in (None, *there.names) and kept.before is not None:
                    server.put(kept.before_name or "", kept.before)
                server.activate(kept.before_name)
            except CommandRefusedError:
                _keep(database, kept)
                raise
        with suppress(ServerError):  # it runs no more: that is what matters
            if _is_ours(server, kept):
                server.delete(kept.name)
