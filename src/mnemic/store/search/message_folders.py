"""In which folder each message is, as an array over ids that all readers share.

Whatever moves or destroys a message is written in the journal, in the same transaction; so a reader
looks only at what the journal has named since, and at messages that are new.
"""

from dataclasses import dataclass
from threading import Lock

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import driver

__all__ = ["FolderOf", "MessageFolders", "folder_of_each"]

#: By id the folder of a message, 0 where there is none of that id.
FolderOf = NDArray[np.int32]

#: Changes beyond which the whole array is read anew; to look up one costs more than to read one.
_MANY = 10_000

_NEWEST = "SELECT (SELECT max(id) FROM journal), (SELECT max(id) FROM message)"
_CHANGED = (
    "SELECT DISTINCT entity_id FROM journal WHERE id > ? AND entity = 'message' AND entity_id <= ?"
    " LIMIT ?"
)
_FOLDERS = (
    "SELECT id, folder_id FROM message WHERE id > ?"
    " UNION ALL SELECT id, folder_id FROM message WHERE id IN (SELECT value FROM json_each(?))"
)


def folder_of_each(session: Session) -> FolderOf:
    """The folder of each message."""
    # A row for each folder: to fetch one for each message would hold up every other thread.
    rows = driver(session).execute(
        "SELECT folder_id, group_concat(id) FROM message GROUP BY folder_id"
    )
    ids = {folder: np.fromstring(listed, np.int64, sep=",") for folder, listed in rows}
    top = max((int(messages.max()) for messages in ids.values()), default=0)
    folder_of = np.zeros(top + 1, np.int32)
    for folder, messages in ids.items():
        folder_of[messages] = folder
    return folder_of


@dataclass(frozen=True, slots=True)
class _Known:
    """The folders as they were when the journal's last entry was ``journal``."""

    folder_of: FolderOf
    journal: int

    @property
    def top(self) -> int:
        return self.folder_of.size - 1


class MessageFolders:
    """The folders of messages, as the newest reader saw them; for readers alone."""

    def __init__(self) -> None:
        self._guard = Lock()
        self._known: _Known | None = None

    def of(self, session: Session) -> FolderOf:
        """The folder of each message; the array is not to be written to."""
        ((journal, top),) = driver(session).execute(_NEWEST).fetchall()
        now = _Known(np.zeros(0, np.int32), journal or 0)
        with self._guard:
            known = self._known
        if known is not None and (known.journal, known.top) == (now.journal, top or 0):
            return known.folder_of
        folder_of = None if known is None else _renewed(session, known, now.journal, top or 0)
        now = _Known(folder_of_each(session) if folder_of is None else folder_of, now.journal)
        now.folder_of.flags.writeable = False
        with self._guard:
            if self._known is None or (self._known.journal, self._known.top) <= (
                now.journal,
                now.top,
            ):
                self._known = now
        return now.folder_of


def _renewed(session: Session, known: _Known, journal: int, top: int) -> FolderOf | None:
    """What was known, with what changed since; None where that is too much, or not since."""
    if journal < known.journal or top < known.top:  # somebody has seen a newer state already
        return None
    execute = driver(session).execute
    rows = execute(_CHANGED, (known.journal, known.top, _MANY)).fetchall()
    if len(rows) == _MANY or top - known.top > _MANY:
        return None
    changed = [message_id for (message_id,) in rows]
    folder_of = np.zeros(top + 1, np.int32)
    folder_of[: known.folder_of.size] = known.folder_of
    folder_of[changed] = 0  # unless it is there
    found = execute(_FOLDERS, (known.top, str(changed))).fetchall()
    for message_id, folder_id in found:
        folder_of[message_id] = folder_id
    return folder_of
