"""What a session has looked up, remembered for its short life: ids of rows, mostly.

A session is one transaction, in which ids don't change.
"""

from threading import Lock
from typing import TypeVar

from sqlmodel import Session

__all__ = ["SharedMemory", "forget", "memory_of", "shared_by"]

Kind = TypeVar("Kind")


def memory_of(session: Session, kind: type[Kind]) -> Kind:
    """What the session remembers of a kind, a class of the module that uses it."""
    memory = session.info.get(kind)
    if not isinstance(memory, kind):
        memory = session.info[kind] = kind()
    return memory


def forget(session: Session, kind: type[object]) -> None:
    """Let the session look anew for what it remembered of this kind."""
    session.info.pop(kind, None)


class SharedMemory:
    """What all readers of a database share, one of each kind; every kind guards itself."""

    def __init__(self) -> None:
        self._guard = Lock()
        self._kinds: dict[type[object], object] = {}

    def of(self, kind: type[Kind]) -> Kind:
        """The one of a kind, a class of the module that uses it; empty at first."""
        with self._guard:
            memory = self._kinds.get(kind)
            if not isinstance(memory, kind):
                memory = self._kinds[kind] = kind()
            return memory


def shared_by(session: Session, kind: type[Kind]) -> Kind:
    """What the session shares of a kind with others of its database; its own where it has none."""
    shared = session.info.get(SharedMemory)
    return shared.of(kind) if isinstance(shared, SharedMemory) else kind()
