"""What readers share of all messages, and read anew only where the journal says so.

Whatever moves, marks, labels or destroys a message is written in the journal, in the same
transaction; so a reader looks only at what the journal has named since, and at messages that are
new.
"""

from abc import ABC, abstractmethod
from collections.abc import Sequence
from threading import Lock
from typing import Generic, NamedTuple, Protocol, TypeVar

from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.reader_cache import ReadingSession

__all__ = ["Newest", "Renewed"]

#: Changes beyond which all is read anew; to look up one costs more than to read one.
_MANY = 10_000

_NEWEST = (
    "SELECT coalesce((SELECT max(id) FROM journal), 0), coalesce((SELECT max(id) FROM message), 0)"
)
#: By the journal's own ids, of which few are new; an index of messages would have all of it read.
_CHANGED = (
    "SELECT DISTINCT entity_id FROM journal NOT INDEXED WHERE id > ? AND entity = 'message'"
    " AND entity_id <= ? LIMIT ?"
)


class Newest(NamedTuple):
    """The last entry of the journal, and the largest id of a message; 0 where there is none."""

    journal: int
    top: int


class _Known(Protocol):
    @property
    def newest(self) -> Newest:
        """What was newest when it was read."""


Known = TypeVar("Known", bound=_Known)


class Renewed(ABC, Generic[Known]):
    """What is known of all messages, as the newest reader saw them; for any number of threads."""

    def __init__(self) -> None:
        self._guard = Lock()
        self._known: Known | None = None

    def of(self, session: Session) -> Known:
        """What a session sees. Of what a writer sees nothing is kept."""
        newest = Newest(*driver(session).execute(_NEWEST).fetchall()[0])
        with self._guard:
            known = self._known
        if known is not None and known.newest == newest:
            return known
        changed = None if known is None else _changed(session, known.newest, newest)
        if known is None or changed is None:
            now = self.read_all(session, newest)
        else:
            now = self.read_since(session, known, changed, newest)
        with self._guard:
            newer = self._known is None or self._known.newest.journal <= newest.journal
            if newer and isinstance(session, ReadingSession):
                self._known = now
        return now

    @abstractmethod
    def read_all(self, session: Session, newest: Newest) -> Known:
        """What there is to know of all messages."""

    @abstractmethod
    def read_since(
        self, session: Session, known: Known, changed: Sequence[int], newest: Newest
    ) -> Known:
        """What was known, with what is said now of the changed messages and of new ones.

        What was known is not to be written to: others read it.
        """


def _changed(session: Session, before: Newest, newest: Newest) -> list[int] | None:
    """The messages that were there and have changed; None where they are too many, or not since."""
    if newest.journal < before.journal or newest.top < before.top:
        return None  # it is of a newer state, or the last is gone
    rows = driver(session).execute(_CHANGED, (before.journal, before.top, _MANY)).fetchall()
    if len(rows) == _MANY or newest.top - before.top > _MANY:
        return None
    return [message_id for (message_id,) in rows]
