"""Where each message is, how it is marked and when it came: arrays that readers share."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Self, get_args

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.core.actions.effect import Column
from mnemic.store.engine.driver import driver, listed_numbers
from mnemic.store.engine.session_memory import shared_by
from mnemic.store.mail.by_value import ids_by
from mnemic.store.mail.renewed import Newest, Renewed, changed_since

__all__ = ["MessageStates", "counts_by_folder", "states_of_messages"]

#: What a message may be marked with, each in a column.
_COLUMNS: tuple[Column, ...] = get_args(Column)

#: Their values where nobody has set them, and SQL for the messages that have another.
_USUAL: Mapping[Column, tuple[Any, str]] = {
    "seen": (1, "seen = 0"),  # answered by an index
    "flagged": (0, "flagged = 1"),
    "colour": (None, "colour IS NOT NULL"),
    "priority": (None, "priority IS NOT NULL"),
}

_SELECTED = f"SELECT id, folder_id, received_at, {', '.join(_COLUMNS)} FROM message WHERE"
_RECEIVED = "SELECT group_concat(id || ' ' || received_at, ' ') FROM message"
_STATES = f"{_SELECTED} id > ? UNION ALL {_SELECTED} id IN (SELECT value FROM json_each(?))"


@dataclass(frozen=True)
class MessageStates:
    """The folder of each message by id, 0 where there is none of that id, and its marks.

    ``received`` is when it was received, in seconds since 1970-01-01 UTC. ``marks`` are, by column,
    places in ``values``. Nothing of it is to be written to.
    """

    folder_of: NDArray[np.int32]
    received: NDArray[np.int64]
    marks: Mapping[Column, NDArray[np.uint8]]
    values: tuple[Any, ...]
    newest: Newest

    @property
    def top(self) -> int:
        """The largest id there is, 0 where there is none."""
        return self.folder_of.size - 1

    @cached_property
    def _here_up_to(self) -> NDArray[np.int32]:
        return np.cumsum(self.folder_of > 0, dtype=np.int32)

    def here_up_to(self, message_id: int) -> int:
        """How many messages up to one are here: fewer than before where one was destroyed."""
        return int(self._here_up_to[min(message_id, self.top)])

    def are_here(self, ids: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Which of these messages are here, erased ones among them; others are destroyed."""
        known = np.minimum(ids, self.top)
        here: NDArray[np.bool_] = (known == ids) & (self.folder_of[known] > 0)
        return here

    def newest_first(self, ids: NDArray[np.int64], most: int) -> NDArray[np.int64]:
        """The newest of these messages by the time of receipt, and of the same second by id."""
        times = self.received[ids]
        if ids.size > most:
            last = np.partition(times, ids.size - most)[ids.size - most]
            ids, times = ids[times >= last], times[times >= last]
        return ids[np.lexsort((ids, times))[::-1]][:most]

    def with_value(self, column: Column, value: Any) -> NDArray[np.bool_]:
        """Whether a message's column has the value, by id."""
        if value not in self.values:
            return np.zeros(self.folder_of.size, np.bool_)
        mask: NDArray[np.bool_] = self.marks[column] == self.values.index(value)
        return mask


class _RenewedStates(Renewed[MessageStates]):
    """The states of messages, as the newest reader saw them."""

    def read_all(self, session: Session, newest: Newest) -> MessageStates:
        writing = _Writing(newest.top)
        for folder, messages in ids_by(session, "folder_id"):
            writing.folder_of[messages] = folder
        times = listed_numbers(session, _RECEIVED).reshape(-1, 2)
        writing.received[times[:, 0]] = times[:, 1]
        there = np.flatnonzero(writing.folder_of)
        for column, (usual, others) in _USUAL.items():
            writing.mark(column, usual, there)
            for value, messages in ids_by(session, column, others):
                writing.mark(column, value, messages)
        return writing.done(newest)

    def read_since(
        self, session: Session, known: MessageStates, newest: Newest
    ) -> MessageStates | None:
        changed = changed_since(session, known.newest, newest)
        if changed is None:
            return None
        writing = _Writing.after(known, newest.top)
        writing.folder_of[changed] = 0  # unless it is there
        rows = driver(session).execute(_STATES, (known.top, str(changed))).fetchall()
        for message_id, folder, at, *marks in rows:
            writing.folder_of[message_id], writing.received[message_id] = folder, at
            for column, value in zip(_COLUMNS, marks, strict=True):
                writing.mark(column, value, message_id)
        return writing.done(newest)


def states_of_messages(session: Session) -> MessageStates:
    """The folders of messages, and which are read."""
    session.flush()
    return shared_by(session, _RenewedStates).of(session)


def counts_by_folder(session: Session) -> tuple[dict[int, int], dict[int, int]]:
    """How many messages each folder holds, and how many of them are not read."""
    states = states_of_messages(session)

    def counted(folders: NDArray[np.int32]) -> dict[int, int]:
        counts = np.bincount(folders)
        return {int(folder): int(counts[folder]) for folder in np.flatnonzero(counts) if folder}

    return counted(states.folder_of), counted(states.folder_of[~states.with_value("seen", 1)])


class _Writing:
    """The states of messages up to a largest id, while they are read."""

    def __init__(self, top: int) -> None:
        self._values: list[Any] = [0, 1, None]
        self.folder_of = np.zeros(top + 1, np.int32)
        self.received = np.zeros(top + 1, np.int64)
        self._marks = {column: np.zeros(top + 1, np.uint8) for column in _COLUMNS}

    @classmethod
    def after(cls, known: MessageStates, top: int) -> Self:
        """What was known before, to be written over."""
        writing = cls(top)
        writing._values = list(known.values)
        writing.folder_of[: known.top + 1] = known.folder_of
        writing.received[: known.top + 1] = known.received
        for column, marks in known.marks.items():
            writing._marks[column][: known.top + 1] = marks
        return writing

    def mark(self, column: Column, value: Any, ids: Any) -> None:
        """Let messages have a value in a column."""
        if value not in self._values:
            self._values.append(value)
        self._marks[column][ids] = self._values.index(value)

    def done(self, newest: Newest) -> MessageStates:
        """What was written, as it was when this was newest."""
        return MessageStates(
            self.folder_of, self.received, self._marks, tuple(self._values), newest
        )
