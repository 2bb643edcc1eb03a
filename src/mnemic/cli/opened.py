"""The mailbox that a command works on, and how its errors are told."""

from collections.abc import Iterator
from contextlib import contextmanager

from mnemic.core import MnemicError
from mnemic.settings import Settings, read_settings
from mnemic.store import Database
from mnemic.store.server.connections import Connection, connections
from mnemic.store.server.secret_key import SecretKey

__all__ = ["NoSuchAccountError", "connected_account", "key_of", "opened"]


class NoSuchAccountError(MnemicError):
    """A name that no connected account has."""


@contextmanager
def opened() -> Iterator[tuple[Settings, Database]]:
    """The settings and the database, closed with the block."""
    settings = read_settings()
    database = Database(settings.database)
    try:
        yield settings, database
    finally:
        database.close()


def key_of(settings: Settings) -> SecretKey:
    """The key of kept passwords. Raises WrongKeyError where it can't be used."""
    given = settings.secret_key
    return SecretKey.of(settings.secret_file, given.get_secret_value() if given else None)


def connected_account(database: Database, name: str) -> Connection:
    """The connected account of a name. Raises NoSuchAccountError."""
    with database.reading() as session:
        for connection in connections(session):
            if connection.account.name == name:
                return connection
    raise NoSuchAccountError(f"there is no connected account “{name}”; see mnemic account list")
