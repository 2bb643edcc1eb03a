"""A cache of what was computed from the database, valid until somebody changes it."""

from collections.abc import Callable, Hashable
from contextlib import suppress
from typing import Any, TypeVar

from cachetools import LRUCache
from sqlalchemy import Engine
from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.session_memory import SharedMemory

__all__ = ["ReaderCache", "ReadingSession", "cache_of", "remembered"]

Found = TypeVar("Found")

#: Octets that one connection keeps of what was worked out. A mask over 100,000 messages has 100 KB.
_MOST = 24 * 1024 * 1024

#: What a thing is taken to have that doesn't say how many octets it has.
_SMALL = 1024


def _octets(value: object) -> int:
    return int(getattr(value, "nbytes", _SMALL))


class ReaderCache:
    """What was computed, by key; the least recently used goes first.

    It is bounded in octets: those that a value has by its ``nbytes``, as NumPy's arrays do.
    """

    def __init__(self, state: tuple[int, int], most: int = _MOST) -> None:
        self.state = state
        self._found: LRUCache[Hashable, Any] = LRUCache(most, getsizeof=_octets)

    @property
    def octets(self) -> int:
        """The size of everything in the cache, in octets."""
        return int(self._found.currsize)

    def get(self, key: Hashable, make: Callable[[], Found]) -> Found:
        """The value under the key, made where there is none yet."""
        if key in self._found:
            value: Found = self._found[key]
            return value
        made = make()
        self.keep(key, made)
        return made

    def keep(self, key: Hashable, value: object) -> None:
        """Store a value, replacing the one under its key; also one that has grown meanwhile.

        A value larger than the whole cache is not stored.
        """
        self._found.pop(key, None)
        with suppress(ValueError):  # larger than the whole of the room
            self._found[key] = value


class ReadingSession(Session):
    """A session that sees one state of the database and changes nothing."""

    cache: ReaderCache | None = None

    def __init__(self, engine: Engine, shared: SharedMemory) -> None:
        """``shared`` is what all readers of the database remember."""
        super().__init__(engine)
        self.shared = self.info[SharedMemory] = shared


def cache_of(session: Session) -> ReaderCache:
    """What was worked out of the state of the database that this transaction sees.

    It stays with the connection. SQLite counts the commits of others (``data_version``) and the
    rows changed by the connection itself: as soon as either moves, there is nothing any more.
    """
    if isinstance(session, ReadingSession) and session.cache is not None:
        return session.cache  # one transaction sees one state
    connection, info = driver(session), session.connection().info
    connection.execute("SELECT 1 FROM folder LIMIT 1").close()  # the transaction sees a state now
    ((version,),) = connection.execute("PRAGMA data_version").fetchall()
    state = (int(version), connection.total_changes)
    cache = info.get(ReaderCache)
    if not isinstance(cache, ReaderCache) or cache.state != state:
        cache = info[ReaderCache] = ReaderCache(state)
    if isinstance(session, ReadingSession):
        session.cache = cache
    return cache


def remembered(session: Session, key: Hashable, make: Callable[[], Found]) -> Found:
    """What ``make`` returns; a reading session calls it once for each state of the database."""
    return cache_of(session).get(key, make) if isinstance(session, ReadingSession) else make()
