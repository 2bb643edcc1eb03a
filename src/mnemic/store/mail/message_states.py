"""In which folder each message is, and whether it is read: arrays over ids that readers share.

Whatever moves, reads or destroys a message is written in the journal, in the same transaction; so a
reader looks only at what the journal has named since, and at messages that are new.
"""

from dataclasses import dataclass
from threading import Lock

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.reader_cache import ReadingSession

__all__ = ["MessageStates", "counts_by_folder", "states_of_messages"]

#: Changes beyond which all is read anew; to look up one costs more than to read one.
_MANY = 10_000

_NEWEST = (
    "SELECT coalesce((SELECT max(id) FROM journal), 0), coalesce((SELECT max(id) FROM message), 0)"
)
_CHANGED = (
    "SELECT DISTINCT entity_id FROM journal WHERE id > ? AND entity = 'message' AND entity_id <= ?"
    " LIMIT ?"
)
_STATES = (
    "SELECT id, folder_id, seen FROM message WHERE id > ?"
    " UNION ALL"
    " SELECT id, folder_id, seen FROM message WHERE id IN (SELECT value FROM json_each(?))"
)


@dataclass(frozen=True, slots=True)
class MessageStates:
    """By id the folder of a message, 0 where there is none of that id, and whether it is read.

    So it was when the journal's last entry was ``journal``. The arrays are not to be written to.
    """

    folder_of: NDArray[np.int32]
    seen: NDArray[np.bool_]
    journal: int

    @property
    def top(self) -> int:
        """The largest id there is, 0 where there is none."""
        return self.folder_of.size - 1


class _Newest:
    """The states of messages, as the newest reader saw them."""

    def __init__(self) -> None:
        self._guard = Lock()
        self._known: MessageStates | None = None

    def of(self, session: Session) -> MessageStates:
        """The states that a session sees."""
        ((journal, top),) = driver(session).execute(_NEWEST).fetchall()
        with self._guard:
            known = self._known
        if known is not None and (known.journal, known.top) == (journal, top):
            return known
        now = None if known is None else _renewed(session, known, journal, top)
        if now is None:
            now = _read_all(session, journal)
        with self._guard:
            if self._known is None or self._known.journal <= now.journal:
                self._known = now
        return now


def states_of_messages(session: Session) -> MessageStates:
    """The folders of messages, and which are read."""
    if isinstance(session, ReadingSession):
        return session.shared.of(_Newest).of(session)
    session.flush()  # a writer may see messages that are never committed
    return _read_all(session, 0)


def counts_by_folder(session: Session) -> tuple[dict[int, int], dict[int, int]]:
    """How many messages each folder holds, and how many of them are not read."""
    states = states_of_messages(session)

    def counted(folders: NDArray[np.int32]) -> dict[int, int]:
        counts = np.bincount(folders)
        return {int(folder): int(counts[folder]) for folder in np.flatnonzero(counts) if folder}

    return counted(states.folder_of), counted(states.folder_of[~states.seen])


def _ids_by_folder(session: Session, where: str) -> dict[int, NDArray[np.int64]]:
    """The ids of messages by folder, from an index alone."""
    # A row for each folder: to fetch one for each message would hold up every other thread.
    rows = driver(session).execute(
        f"SELECT folder_id, group_concat(id) FROM message {where} GROUP BY folder_id"
    )
    return {folder: np.fromstring(listed, np.int64, sep=",") for folder, listed in rows}


def _read_all(session: Session, journal: int) -> MessageStates:
    ids = _ids_by_folder(session, "")
    top = max((int(messages.max()) for messages in ids.values()), default=0)
    folder_of, seen = np.zeros(top + 1, np.int32), np.ones(top + 1, np.bool_)
    for folder, messages in ids.items():
        folder_of[messages] = folder
    for messages in _ids_by_folder(session, "WHERE seen = 0").values():
        seen[messages] = False
    return MessageStates(folder_of, seen, journal)


def _renewed(
    session: Session, known: MessageStates, journal: int, top: int
) -> MessageStates | None:
    """What was known, with what changed since; None where that is too much, or not since."""
    if journal < known.journal or top < known.top:  # it is of a newer state, or the last is gone
        return None
    execute = driver(session).execute
    rows = execute(_CHANGED, (known.journal, known.top, _MANY)).fetchall()
    if len(rows) == _MANY or top - known.top > _MANY:
        return None
    changed = [message_id for (message_id,) in rows]
    folder_of, seen_of = np.zeros(top + 1, np.int32), np.zeros(top + 1, np.bool_)
    folder_of[: known.top + 1], seen_of[: known.top + 1] = known.folder_of, known.seen
    folder_of[changed] = 0  # unless it is there
    for message_id, folder, seen in execute(_STATES, (known.top, str(changed))).fetchall():
        folder_of[message_id], seen_of[message_id] = folder, seen
    return MessageStates(folder_of, seen_of, journal)
