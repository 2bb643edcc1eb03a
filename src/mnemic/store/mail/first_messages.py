"""Which messages are the first of their senders: worked out once, and kept up with what comes.

Shared by all readers. What new messages change is worked out of them alone; where a message was
destroyed, of what is known of the others.
"""

from dataclasses import dataclass
from threading import Lock

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import driver, listed_numbers
from mnemic.store.engine.reader_cache import ReadingSession
from mnemic.store.engine.session_memory import shared_by
from mnemic.store.mail.message_states import MessageStates, states_of_messages

__all__ = ["first_messages"]

Numbers = NDArray[np.int64]

#: Messages above an id with the numbers of the addresses they are from, in one text.
_FROM = (
    "SELECT group_concat(message_id || ' ' || address_id, ' ') FROM message_address"
    " WHERE header = 'from' AND message_id > ?"
)
_CANONICAL = "SELECT id, canonical FROM address WHERE id IN (SELECT value FROM json_each(?))"
_ALL_CANONICAL = "SELECT id, canonical FROM address"

#: Addresses beyond which all are read: to look one up costs more than to read one.
_MANY = 1_000

#: New messages that are looked at one by one.
_FEW = 1_000


@dataclass(frozen=True, slots=True)
class _Written:
    """Who wrote what, a sender and a message at each place; senders are numbered as they come.

    So it was in the state of messages that is given. ``earliest`` is by sender, ``first`` are the
    messages that are the earliest of each of their senders, the lowest id first.
    """

    states: MessageStates
    messages: Numbers
    senders: Numbers
    earliest: Numbers
    first: Numbers


class _Senders:
    """What the newest reader knew of who wrote what."""

    def __init__(self) -> None:
        self._guard = Lock()
        self._numbers: dict[str, int] = {}
        self._known: _Written | None = None

    def first(self, session: Session) -> Numbers:
        """The messages that are the first of each of their senders."""
        states = states_of_messages(session)
        with self._guard:  # the numbers of senders are given once
            known = self._known
            if known is not None and known.states is states:
                return known.first
            newer = known is None or _is_newer(states, known)
            now = self._written(session, states, known if newer else None)
            if isinstance(session, ReadingSession) and newer:
                self._known = now
            return now.first

    def _written(self, session: Session, states: MessageStates, known: _Written | None) -> _Written:
        if known is None:
            return _all_written(states, *self._read(session, 0))
        new, numbers = self._read(session, known.states.top)
        here = states.are_here(known.messages)
        if here.all() and new.size < _FEW:
            return _more_written(states, known, new, numbers)
        messages = np.concatenate([known.messages[here], new])
        return _all_written(states, messages, np.concatenate([known.senders[here], numbers]))

    def _read(self, session: Session, above: int) -> tuple[Numbers, Numbers]:
        """The messages above an id with the numbers of their senders."""
        pairs = listed_numbers(session, _FROM, (above,)).reshape(-1, 2)
        addresses = np.unique(pairs[:, 1])
        execute = driver(session).execute
        few = addresses.size < _MANY
        rows = execute(_CANONICAL, (str(addresses.tolist()),)) if few else execute(_ALL_CANONICAL)
        number_of = np.zeros(int(addresses.max(initial=0)) + 1, np.int64)
        for address_id, canonical in rows.fetchall():
            if address_id < number_of.size:
                number_of[address_id] = self._numbers.setdefault(canonical, len(self._numbers))
        return pairs[:, 0], number_of[pairs[:, 1]]


def _is_newer(states: MessageStates, known: _Written | None) -> bool:
    """Ask the journal: mail that an older reader does not see yet counts as not here."""
    return known is None or states.newest.journal >= known.states.newest.journal


def _all_written(states: MessageStates, messages: Numbers, senders: Numbers) -> _Written:
    """Worked out of all messages."""
    order = np.lexsort((messages, states.received[messages], senders))
    begins = np.ones(order.size, np.bool_)
    begins[1:] = senders[order][1:] != senders[order][:-1]
    earliest = np.zeros(len(senders) and int(senders.max()) + 1, np.int64)
    earliest[senders[order][begins]] = messages[order][begins]
    others = messages[earliest[senders] != messages]
    mask = np.zeros(states.top + 1, np.bool_)
    mask[messages], mask[others] = True, False
    return _Written(states, messages, senders, earliest, np.flatnonzero(mask))


def _more_written(
    states: MessageStates, known: _Written, new: Numbers, numbers: Numbers
) -> _Written:
    """Worked out of what was known, and of a few new messages with their senders' numbers."""
    size = max(known.earliest.size, int(numbers.max(initial=-1)) + 1)
    earliest = np.zeros(size, np.int64)
    earliest[: known.earliest.size] = known.earliest
    later: set[int] = set()  # what was the earliest of a sender before
    for message, sender in zip(new.tolist(), numbers.tolist(), strict=True):
        before = int(earliest[sender])
        times = states.received[message], states.received[before]
        if not before or (times[0], message) < (times[1], before):
            earliest[sender] = message
            later.add(before)
    first = np.setdiff1d(new, new[earliest[numbers] != new])
    return _Written(
        states,
        np.concatenate([known.messages, new]),
        np.concatenate([known.senders, numbers]),
        earliest,
        np.concatenate([np.setdiff1d(known.first, list(later)), first]),
    )


def first_messages(session: Session) -> Numbers:
    """The ids of the messages that are the first of each of their senders, the lowest first.

    The earliest by the time of receipt is the first, and of the same second the one that came in
    first; erased messages count.
    """
    return shared_by(session, _Senders).first(session)
