"""How each connected account is, in one line."""

from collections.abc import Mapping
from datetime import datetime
from typing import NamedTuple

from sqlmodel import Session

from mnemic.jobs.server.passing import IN_STEP
from mnemic.store.mail.outbox import LetterTrouble, letter_troubles
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.server.connections import Connection
from mnemic.store.server.server_scripts import script_troubles

__all__ = ["Troubles", "line_of", "troubles_of"]


class Troubles(NamedTuple):
    """What is wrong beside the mail itself, by account: with letters, and with scripts.

    ``now`` is the owner's time.
    """

    letters: Mapping[int, LetterTrouble]
    scripts: Mapping[int, str]
    now: datetime


def troubles_of(session: Session) -> Troubles:
    """What is wrong with every account."""
    now = datetime.now(read_preferences(session).zone)
    return Troubles(letter_troubles(session), script_troubles(session), now)


def line_of(connection: Connection, troubles: Troubles) -> str:
    """How an account is: its mail, then its letters, then the rules on its server."""
    if connection.state != IN_STEP:
        return _failing(connection, troubles.now)
    key = connection.account.id
    letters = troubles.letters.get(key)
    return (letters.saying if letters else "") or troubles.scripts.get(key) or connection.state


def _failing(connection: Connection, now: datetime) -> str:
    """What is wrong, since when, and how much waits for it: "12 changes wait since 10:32: …"."""
    failing = connection.failing
    if failing is None:
        return connection.state
    since = datetime.fromtimestamp(failing.since, now.tzinfo)
    moment = f"{since:%H:%M}" if since.date() == now.date() else f"{since.day} {since:%B %H:%M}"
    if not failing.waiting:
        return f"since {moment} {connection.state}"
    changes = f"{failing.waiting:,} change{'s wait' if failing.waiting > 1 else ' waits'}"
    return f"{changes} since {moment}: {connection.state}"
