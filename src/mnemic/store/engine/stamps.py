"""What is made of small tables, and made again only where one of them has changed.

Each bears a stamp that triggers draw anew with every change, whoever makes it, in whatever process.
It is drawn by chance, not counted: what a writer takes back leaves no stamp that comes again.
"""

from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, Literal, TypeAlias, TypeVar

from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.reader_cache import ReadingSession
from mnemic.store.engine.session_memory import memory_of, shared_by

__all__ = ["Stamped", "while_unchanged"]

Made = TypeVar("Made")

#: The tables that bear one (migration 0009).
Stamped: TypeAlias = Literal["account", "alias", "contact_address", "folder", "preference", "rule"]


class _Known:
    """What was made, by what it is, with the stamps under which it was."""

    def __init__(self) -> None:
        self._guard = Lock()
        self._made: dict[Hashable, tuple[object, Any]] = {}

    def of(self, key: Hashable, stamps: object, make: Callable[[], Made]) -> Made:
        """What is known under a key, made where the stamps are others."""
        with self._guard:
            known = self._made.get(key)
        if known is not None and known[0] == stamps:
            kept: Made = known[1]
            return kept
        made = make()
        with self._guard:
            self._made[key] = (stamps, made)
        return made


def while_unchanged(
    session: Session, key: Hashable, tables: tuple[Stamped, ...], make: Callable[[], Made]
) -> Made:
    """What ``make`` returns; it is called again only where one of the tables has changed.

    For what each message needs to know. What is made is shared by all sessions of a database:
    nobody may change it.
    """
    return shared_by(session, _Known).of(key, _stamps(session, tables), make)


class _Seen(dict[tuple[Stamped, ...], object]):
    """The stamps of tables that a session has seen which sees one state."""


def _stamps(session: Session, tables: tuple[Stamped, ...]) -> object:
    seen = memory_of(session, _Seen) if isinstance(session, ReadingSession) else _Seen()
    if tables not in seen:
        session.flush()
        names = ", ".join(f"'{table}'" for table in tables)
        stamps = driver(session).execute(f"SELECT value FROM stamp WHERE name IN ({names})")
        seen[tables] = stamps.fetchall()
    return seen[tables]
