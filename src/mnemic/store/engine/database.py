"""The SQLite database: connections, transactions and migrations."""

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, event, inspect
from sqlalchemy.exc import DatabaseError
from sqlmodel import Session, create_engine

from mnemic.core import MnemicError, NoRoomError, UnavailableError
from mnemic.store.engine.bounded_connection import BoundedConnection
from mnemic.store.engine.packing import add_unpacking
from mnemic.store.engine.reader_cache import ReadingSession
from mnemic.store.engine.session_memory import SharedMemory
from mnemic.store.engine.write_queue import WriteQueue

__all__ = ["NEWEST", "Database", "StoreError"]

#: The version of the tables (``store/migrations/versions``).
NEWEST = "0022"

#: How long a writer waits for another, in milliseconds. An import's transaction takes well under
#: a second; waiting costs less than telling a sender to come again.
_BUSY_TIMEOUT = 15_000

_PRAGMAS = (
    "journal_mode = WAL",
    "foreign_keys = ON",
    f"busy_timeout = {_BUSY_TIMEOUT}",
    # With FULL, a commit is on disk when it returns; SMTP's 250 promises that.
    "synchronous = FULL",
    # What is deleted is overwritten: mail that is destroyed is not left in the file's free room.
    "secure_delete = ON",
    "temp_store = MEMORY",
    # Pages kept in memory, in KB, by each connection: more made an import of 10,000 no faster.
    "cache_size = -8192",
    # Pages in the log before they go to the database: the same index pages are written once.
    "wal_autocheckpoint = 8000",
)

#: Octets of free room that are not worth writing the file anew.
_LITTLE = 8 * 1024 * 1024


class StoreError(MnemicError):
    """A database that can't be used."""


_DAMAGED = (
    "the file is damaged; stop Mnemic, let “mnemic check” look at it, and put the newest backup"
    " in its place"
)

#: What SQLite's result codes mean for whoever asked (sqlite3.h, "Result Codes"; from memory).
_TROUBLES: dict[int, tuple[type[UnavailableError], str]] = {
    sqlite3.SQLITE_FULL: (
        NoRoomError,
        "the disk is full; make room, and what waits goes on by itself",
    ),
    sqlite3.SQLITE_READONLY: (
        UnavailableError,
        "the mailbox can’t be written; look at the permissions of the file and of its folder",
    ),
    sqlite3.SQLITE_BUSY: (
        UnavailableError,
        "another program holds the mailbox; try again when it is done",
    ),
    sqlite3.SQLITE_IOERR: (
        UnavailableError,
        "the disk of the mailbox gives errors; look after it, and try again",
    ),
    sqlite3.SQLITE_CORRUPT: (UnavailableError, _DAMAGED),
    sqlite3.SQLITE_NOTADB: (
        UnavailableError,
        "this is not a database of SQLite’s; put the newest backup in its place",
    ),
    sqlite3.SQLITE_CANTOPEN: (
        UnavailableError,
        "the mailbox can’t be opened; look at the permissions of the file and of its folder",
    ),
}


def _trouble(path: Path, error: BaseException) -> UnavailableError | None:
    """What went wrong, in words, where it is trouble that passes; nothing was changed by it."""
    cause = error.orig if isinstance(error, DatabaseError) else error
    code = getattr(cause, "sqlite_errorcode", None)
    known = None if code is None else _TROUBLES.get(code & 0xFF)  # without the extended part
    if known is None:
        return None
    kind, words = known
    return kind(f"{path.name}: {words}. Nothing was changed")


@contextmanager
def _telling(path: Path) -> Iterator[None]:
    """Tells trouble with the file in words."""
    try:
        yield
    except (DatabaseError, sqlite3.Error) as error:
        trouble = _trouble(path, error)
        if trouble is None:
            raise
        raise trouble from error


def _engine(path: Path, begin: str) -> Engine:
    # Last in, first out: a reader finds what it worked out before (``store.engine.reader_cache``),
    # however many others read at once.
    engine = create_engine(
        f"sqlite:///{path}", pool_use_lifo=True, connect_args={"factory": BoundedConnection}
    )

    @event.listens_for(engine, "connect")
    def _connected(connection: Any, _record: Any) -> None:
        connection.isolation_level = None  # BEGIN is ours, below
        for pragma in _PRAGMAS:
            connection.execute(f"PRAGMA {pragma}").close()
        add_unpacking(connection)

    @event.listens_for(engine, "begin")
    def _begin(connection: Any) -> None:
        connection.exec_driver_sql(begin)

    return engine


def _version(connection: Connection) -> str | None:
    """The version of a mailbox's tables; None of one without any."""
    if not inspect(connection).has_table("alembic_version"):
        return None
    row = connection.exec_driver_sql("SELECT version_num FROM alembic_version").one_or_none()
    return None if row is None else str(row[0])


class Database:
    """One SQLite file, brought up to date when it is opened.

    Raises StoreError where the file can't be opened or was made by a newer Mnemic.
    """

    def __init__(self, path: Path) -> None:
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise StoreError(f"{path.parent}: {error.strerror}; set MNEMIC_DATA") from error
        self.path, self.write_queue, self._shared = path, WriteQueue(), SharedMemory()
        self._reader = _engine(path, "BEGIN")
        # A writer takes its lock at once: one that read first could not be promoted safely.
        self._writer = _engine(path, "BEGIN IMMEDIATE")
        try:
            with _telling(path):
                self._migrate()
        except UnavailableError as error:
            raise StoreError(f"{path.parent}: {error}") from error
        except DatabaseError as error:
            raise StoreError(f"{path}: {error.orig}; move the file away or restore it") from error

    def _migrate(self) -> None:
        with self._writer.begin() as connection:  # a file that can't be written is told at once
            version = _version(connection)
            if version == NEWEST:
                return
            from mnemic.store.engine.migrating import known_versions, migrate

            if version is not None and version not in known_versions():
                raise StoreError(f"{self.path}: made by a newer Mnemic; update Mnemic to open it")
            migrate(connection)

    @contextmanager
    def reading(self) -> Iterator[ReadingSession]:
        """A session that sees one state of the database and changes nothing.

        Raises UnavailableError where the file can't be used at the moment.
        """
        with _telling(self.path), ReadingSession(self._reader, self._shared) as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session with the write lock; committed at the end, undone where anything raises.

        Raises NoRoomError where the disk is full, and UnavailableError where the file can't be
        written at the moment.
        """
        with self.write_queue.turn(), _telling(self.path), Session(self._writer) as session:
            session.info[SharedMemory] = self._shared
            yield session
            session.commit()

    @contextmanager
    def change_counter(self) -> Iterator[Any]:
        """A function whose value changes when another connection, of any process, has committed."""
        with self._reader.connect() as connection:
            driver = connection.connection.driver_connection
            assert driver is not None  # noqa: S101 -- for the type checker; connected just above
            yield lambda: driver.execute("PRAGMA data_version").fetchone()[0]

    def has_much_free_room(self) -> bool:
        """Whether a quarter of the file, and some megabytes of it, hold nothing."""
        with self.reading() as session:
            sizes = {
                name: session.connection().exec_driver_sql(f"PRAGMA {name}").scalar_one()
                for name in ("freelist_count", "page_count", "page_size")
            }
        free = sizes["freelist_count"]
        much: bool = free * 4 > sizes["page_count"] and free * sizes["page_size"] > _LITTLE
        return much

    def compact(self) -> None:
        """Give back the room of what was deleted, also in the search index and in the log.

        Others read meanwhile; a writer waits. Raises StoreError where there is no room for it: the
        file is written anew beside itself.
        """
        try:
            with (
                self.write_queue.turn(),
                closing(sqlite3.connect(self.path, isolation_level=None)) as connection,
            ):
                for pragma in _PRAGMAS:
                    connection.execute(f"PRAGMA {pragma}").close()
                optimize = "INSERT INTO message_trigram (message_trigram) VALUES ('optimize')"
                connection.execute(optimize)
                connection.execute("VACUUM")
                connection.execute("PRAGMA wal_checkpoint(TRUNCATE)").close()
        except sqlite3.Error as error:
            raise StoreError(f"{self.path}: {error}; nothing was lost") from error

    def close(self) -> None:
        """Close every connection."""
        self._reader.dispose()
        self._writer.dispose()
