"""In one line how each connected account is."""

from collections.abc import Mapping
from typing import NamedTuple

from sqlmodel import Session

from mnemic.jobs.server.passing import IN_STEP
from mnemic.store.mail.outbox import LetterTrouble, letter_troubles
from mnemic.store.server.connections import Connection
from mnemic.store.server.server_scripts import script_troubles

__all__ = ["Troubles", "line_of", "troubles_of"]


class Troubles(NamedTuple):
    """What is wrong beside the mail itself, by account: with letters, and with scripts."""

    letters: Mapping[int, LetterTrouble]
    scripts: Mapping[int, str]


def troubles_of(session: Session) -> Troubles:
    """What is wrong with every account."""
    return Troubles(letter_troubles(session), script_troubles(session))


def line_of(connection: Connection, troubles: Troubles) -> str:
    """How an account is: its mail, then its letters, then the rules on its server."""
    if connection.state != IN_STEP:
        return connection.state
    key = connection.account.id
    letters = troubles.letters.get(key)
    return (letters.saying if letters else "") or troubles.scripts.get(key) or connection.state
