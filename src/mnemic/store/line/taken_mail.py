"""Which messages rules took, and when: read from the trail, what is new in it alone.

The trail only grows, but for messages that are destroyed. So what was read of it stays, shared by
all sessions, as far as days are counted; a session adds what it sees besides.
"""

from collections import deque
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from threading import Lock
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.reader_cache import ReadingSession
from mnemic.store.engine.session_memory import shared_by
from mnemic.store.mail.message_states import MessageStates, states_of_messages

__all__ = ["each_once", "taken_on_days", "taken_since"]

#: Rows of two columns: when (seconds since 1970), and which message.
_Entries: TypeAlias = NDArray[np.int64]

#: The ids of messages.
Messages: TypeAlias = NDArray[np.int64]

_NOTHING: _Entries = np.zeros((0, 2), np.int64)

#: Read from an earlier time than anybody asks for, so that it need not be read anew each day.
_EARLIER = 7 * 86_400

_ADDED = (
    "SELECT rule_id, group_concat(at || ' ' || message_id, ' ') FROM trail NOT INDEXED"
    " WHERE id > ? AND id <= ? AND at >= ? AND rule_id IS NOT NULL GROUP BY rule_id"
)


@dataclass(frozen=True, slots=True)
class _Trail:
    """The trail's entries by rule, up to the one with id ``last``, none from before ``since``.

    ``mark`` is what that last one is of: where it is destroyed its id may come again. ``counted``
    are the messages that a rule took since some time, among so many of its entries, and ``here``
    how many of so many messages were here, when so many up to the last of them were.
    """

    entries: Mapping[int, _Entries]
    last: int
    since: int
    mark: tuple[object, ...] | None
    counted: dict[int, tuple[int, int, Messages]] = field(default_factory=dict)
    here: dict[int, tuple[tuple[int, int, int], int]] = field(default_factory=dict)

    def is_part(self, session: Session, since: int) -> bool:
        """Whether a session sees all of it, and it begins early enough."""
        early = since - 2 * _EARLIER < self.since <= since
        return early and self.mark == _mark(session, self.last)

    def extended(self, session: Session, last: int) -> "_Trail":
        """The same with what came after, up to another last entry."""
        rows = driver(session).execute(_ADDED, (self.last, last, self.since)).fetchall()
        entries = dict(self.entries)
        for rule_id, listed in rows:
            added = np.fromstring(listed, np.int64, sep=" ").reshape(-1, 2)
            entries[rule_id] = np.concatenate([entries.get(rule_id, _NOTHING), added])
        counted, here = dict(self.counted), dict(self.here)
        return _Trail(entries, last, self.since, _mark(session, last), counted, here)

    def messages(self, rule_id: int, since: int) -> Messages:
        """The messages that a rule took since that time, each once, in order."""
        entries = self.entries[rule_id]
        counted_since, count, messages = self.counted.get(rule_id, (since, 0, _NOTHING[:, 1]))
        if counted_since != since:
            count, messages = 0, _NOTHING[:, 1]
        if count < len(entries):
            added = entries[count:]
            messages = _with(messages, each_once(added[added[:, 0] >= since, 1]))
            self.counted[rule_id] = (since, len(entries), messages)
        return messages

    def count_here(self, rule_id: int, since: int, states: MessageStates) -> int:
        """How many messages that are here a rule took since that time."""
        messages = self.messages(rule_id, since)
        if not messages.size:
            return 0
        known = since, messages.size, states.here_up_to(int(messages[-1]))
        before, count = self.here.get(rule_id, (None, 0))
        if known != before:  # where none was destroyed since, those that were here are here
            count = int(np.count_nonzero(states.are_here(messages)))
            self.here[rule_id] = known, count
        return count


def _with(messages: Messages, added: Messages) -> Messages:
    """Both, each once, in order."""
    places = np.searchsorted(messages, added)
    new = np.append(messages, -1)[places] != added
    return np.insert(messages, places[new], added[new])


def each_once(numbers: Messages) -> Messages:
    """Each number once, in order. (NumPy’s ``unique`` hashes, which takes ten times as long.)"""
    ordered = np.sort(numbers)
    return ordered[np.diff(ordered, prepend=-1) > 0]  # there is none below 0


def _mark(session: Session, entry: int) -> tuple[object, ...] | None:
    rows = driver(session).execute("SELECT message_id, at FROM trail WHERE id = ?", (entry,))
    return next(iter(rows.fetchall()), None)


#: States that are kept: a reader that began before another one asked does not see the newest.
_STATES = 3


class _Newest:
    """The trail, as the newest readers saw it."""

    def __init__(self) -> None:
        self._guard = Lock()
        self._trails: deque[_Trail] = deque(maxlen=_STATES)  # the newest last

    def of(self, session: Session, since: int) -> _Trail:
        """What a session sees of it, from a time on or earlier."""
        ((last,),) = driver(session).execute("SELECT coalesce(max(id), 0) FROM trail").fetchall()
        with self._guard:  # whoever else asks for the first time waits, and has it then
            parts = (trail for trail in reversed(self._trails) if trail.last <= last)
            known = next((trail for trail in parts if trail.is_part(session, since)), None)
            if known is None:
                known = _Trail({}, 0, since - _EARLIER, None)
            elif known.last == last:
                return known
            seen = known.extended(session, last)
            if isinstance(session, ReadingSession):  # a writer may see what is never committed
                self._trails.append(seen)
            return seen


def taken_since(session: Session, since: int) -> dict[int, int]:
    """How many messages that are here each rule took since that time, by the rule's id."""
    trail, states = shared_by(session, _Newest).of(session, since), states_of_messages(session)
    counts = {rule_id: trail.count_here(rule_id, since, states) for rule_id in trail.entries}
    return {rule_id: count for rule_id, count in counts.items() if count}


def taken_on_days(session: Session, rule_id: int, midnights: Sequence[int]) -> list[Messages]:
    """The messages that are here and that a rule took on days that begin at these midnights.

    Each once a day, in order. The last day has no end.
    """
    states = states_of_messages(session)
    trail = shared_by(session, _Newest).of(session, midnights[0])
    entries = trail.entries.get(rule_id, _NOTHING)
    entries = entries[(entries[:, 0] >= midnights[0]) & states.are_here(entries[:, 1])]
    day, size = np.searchsorted(midnights, entries[:, 0], "right") - 1, states.top + 1
    days_and_messages = each_once(day * size + entries[:, 1])  # one number for both
    ends = np.searchsorted(days_and_messages, np.arange(1, len(midnights)) * size)
    return [messages % size for messages in np.split(days_and_messages, ends)]
