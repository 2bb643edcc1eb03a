"""Room for what was worked out of the database, good for as long as nobody has changed it."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

from sqlmodel import Session

from mnemic.store.engine.tables import driver

__all__ = ["ReaderCache", "cache_of", "remembered", "rows_as_json"]

Found = TypeVar("Found")

#: Things kept on one connection. A mask over 100,000 messages has 100 KB.
_MOST = 160


class ReaderCache:
    """What was worked out, by key; what was asked for longest ago goes first."""

    def __init__(self, state: tuple[int, int]) -> None:
        self.state = state
        self._found: OrderedDict[Hashable, Any] = OrderedDict()

    def get(self, key: Hashable, make: Callable[[], Found]) -> Found:
        """What is kept under the key, made where there is nothing yet."""
        if key not in self._found:
            self._found[key] = make()
            while len(self._found) > _MOST:
                self._found.popitem(last=False)
        self._found.move_to_end(key)
        found: Found = self._found[key]
        return found


def cache_of(session: Session) -> ReaderCache:
    """What was worked out of the state of the database that this transaction sees.

    It stays with the connection. SQLite counts the commits of others (``data_version``) and the
    rows changed by the connection itself: as soon as either moves, there is nothing any more.
    """
    known = session.info.get("cache_of")
    if isinstance(known, ReaderCache):  # one transaction sees one state
        return known
    connection, info = driver(session), session.connection().info
    connection.execute("SELECT 1 FROM folder LIMIT 1").close()  # the transaction sees a state now
    ((version,),) = connection.execute("PRAGMA data_version").fetchall()
    state = (int(version), connection.total_changes)
    found = info.get("cache_of")
    if not isinstance(found, ReaderCache) or found.state != state:
        found = info["cache_of"] = ReaderCache(state)
    if session.info.get("reads"):
        session.info["cache_of"] = found
    return found


def remembered(session: Session, key: Hashable, make: Callable[[], Found]) -> Found:
    """What ``make`` finds; in a session that only reads it is found once for a state."""
    return cache_of(session).get(key, make) if session.info.get("reads") else make()


def rows_as_json(session: Session, columns: str, source: str) -> str:
    """The rows of a query as one JSON text, an array of arrays, in no order.

    For what each message needs to know. Between any two rows the driver lets other threads run, and
    waits for them to let go; the text is also a key under which what it says can be remembered.
    """
    session.flush()
    sql = f"SELECT json_group_array(json_array({columns})) FROM {source}"
    ((text,),) = driver(session).execute(sql).fetchall()
    return str(text)
