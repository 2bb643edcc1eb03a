"""What readers share of all messages, and read anew only where the journal says so.

Whatever moves, marks, labels or destroys a message is written in the journal, in the same
transaction; so a reader looks only at what the journal has named since, and at messages that are
new.
"""

from abc import ABC, abstractmethod
from collections import deque
from threading import Lock
from typing import Generic, NamedTuple, Protocol, TypeVar

from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.reader_cache import ReadingSession

__all__ = ["Newest", "Renewed", "changed_since"]

#: Changes beyond which all is read anew; to look up one costs more than to read one.
_MANY = 10_000

#: States that are kept. Readers that ask side by side are a few messages apart.
_STATES = 3

_NEWEST = (
    "SELECT coalesce((SELECT max(id) FROM journal), 0), coalesce((SELECT max(id) FROM message), 0)"
)
#: The journal's own ids are few where they are new; an index of messages would have it all read.
_CHANGED = (
    "SELECT DISTINCT entity_id FROM journal NOT INDEXED WHERE id > ? AND entity = 'message'"
    " AND entity_id <= ? LIMIT ?"
)


class Newest(NamedTuple):
    """The last entry of the journal, and the largest id of a message; 0 where there is none."""

    journal: int
    top: int

    def is_before(self, other: "Newest") -> bool:
        """Whether nothing that it tells of is gone, or not there yet, in another state."""
        return self.journal <= other.journal and self.top <= other.top


class _Known(Protocol):
    @property
    def newest(self) -> Newest:
        """What was newest when it was read."""


Known = TypeVar("Known", bound=_Known)


class Renewed(ABC, Generic[Known]):
    """What is known of all messages, as the newest readers saw them; for any number of threads.

    Some states are kept: a reader that began before another one asked does not see the newest.
    """

    def __init__(self) -> None:
        self._guard, self._turn = Lock(), Lock()
        self._states: deque[Known] = deque(maxlen=_STATES)  # the newest last

    def of(self, session: Session) -> Known:
        """What a session sees. Of what a writer sees nothing is kept."""
        newest = Newest(*driver(session).execute(_NEWEST).fetchall()[0])
        now = self._read_on(session, newest)
        if not isinstance(session, ReadingSession):
            return self.read_all(session, newest) if now is None else now
        if now is not None:
            return self._kept(now)
        with self._turn:  # others that ask meanwhile read on from what one of them has read
            now = self._read_on(session, newest)
            return self._kept(self.read_all(session, newest) if now is None else now)

    def _read_on(self, session: Session, newest: Newest) -> Known | None:
        """What is known, with what is new since; None: all is to be read anew."""
        with self._guard:
            before = [state for state in self._states if state.newest.is_before(newest)]
        if not before or before[-1].newest == newest:
            return before[-1] if before else None
        return self.read_since(session, before[-1], newest)

    def _kept(self, now: Known) -> Known:
        with self._guard:
            last = self._states[-1].newest if self._states else None
            if last is None or (last != now.newest and last.journal <= now.newest.journal):
                self._states.append(now)
        return now

    @abstractmethod
    def read_all(self, session: Session, newest: Newest) -> Known:
        """What there is to know of all messages."""

    @abstractmethod
    def read_since(self, session: Session, known: Known, newest: Newest) -> Known | None:
        """What was known, with what has changed and what is new; None: all is to be read anew.

        What was known is not to be written to: others read it.
        """


def changed_since(session: Session, before: Newest, newest: Newest) -> list[int] | None:
    """The messages that were there and have changed; None where they are too many."""
    rows = driver(session).execute(_CHANGED, (before.journal, before.top, _MANY)).fetchall()
    if len(rows) == _MANY or newest.top - before.top > _MANY:
        return None
    return [message_id for (message_id,) in rows]
