"""How much lay in the inbox at the end of each day, and how much of it was unread.

From now on backwards: each change that the journal tells is taken back, each message that came in
is taken out again. All of it is done with arrays: a busy mailbox has hundreds of thousands.
"""

from collections.abc import Sequence
from typing import NamedTuple, TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import listed_numbers
from mnemic.store.mail.folders import folders_with_role
from mnemic.store.mail.message_states import MessageStates, states_of_messages

__all__ = ["InboxDay", "inbox_at"]

_Numbers: TypeAlias = NDArray[np.int64]
_Flags: TypeAlias = NDArray[np.bool_]


class InboxDay(NamedTuple):
    """How many messages lay in the inbox, and how many of them were unread."""

    lies: int
    unread: int


#: Each change of a place or of "read": the message, when, which of both, and how it was before.
_CHANGES = (
    "SELECT group_concat(message || ' ' || at || ' ' || is_seen || ' ' || was, ' ') FROM ("
    "SELECT j.entity_id AS message, r.at AS at, j.slot = 'seen' AS is_seen, coalesce("
    "iif(j.slot = 'seen', j.before = '1', CAST(j.before AS INTEGER) IN ({inboxes})), 0) AS was"
    " FROM journal AS j JOIN run AS r ON r.id = j.run_id WHERE j.entity = 'message'"
    " AND j.slot IN ('folder_id', 'seen') AND r.at >= ? ORDER BY j.entity_id, j.id)"
)
_OF_ACCOUNT = "SELECT group_concat(id, ' ') FROM message WHERE account_id = ?"


class _Changes:
    """The changes of messages since some time, of each message in their order."""

    def __init__(self, session: Session, inboxes: Sequence[int], since: int, of: _Flags) -> None:
        sql = _CHANGES.format(inboxes=", ".join(map(str, inboxes)))
        rows = listed_numbers(session, sql, (since,)).reshape(-1, 4)
        rows = rows[rows[:, 0] < of.size]
        rows = rows[of[rows[:, 0]]]
        self.message, self.at = rows[:, 0], rows[:, 1]
        self._is_seen: _Flags = rows[:, 2] == 1
        self._was: _Flags = rows[:, 3] == 1
        #: Where the changes of the next message begin.
        self.first: _Flags = np.diff(self.message, prepend=-1) != 0

    def around(self, now: _Flags, *, seen: bool) -> tuple[_Flags, _Flags]:
        """Before and after each change, whether its message was read, or else in the inbox.

        ``now`` is how messages are now, by id.
        """
        size, mine = self.message.size, self._is_seen == seen
        places = np.where(mine, np.arange(size), size)
        # The next change of the same kind, whatever its message.
        following = np.append(np.minimum.accumulate(places[::-1])[::-1], size)[1:]
        of_another = np.append(self.message, -1)[following] != self.message
        after = np.where(of_another, now[self.message], np.append(self._was, False)[following])
        return np.where(mine, self._was, after), after


def _from_then_on(times: _Numbers, weights: _Numbers, moments: _Numbers) -> _Numbers:
    """The sum of what came after each moment."""
    order = np.argsort(times)
    sums = np.append(0, np.cumsum(weights[order]))
    later: _Numbers = sums[-1] - sums[np.searchsorted(times[order], moments, "right")]
    return later


def _at_moments(
    states: MessageStates,
    changes: _Changes,
    moments: _Numbers,
    now: _Flags,
    around: tuple[_Flags, _Flags],
) -> list[int]:
    """How many messages were so at each moment; ``now`` they are so, and around each change."""
    before, after = (mask.astype(np.int64) for mask in around)
    as_it_came = now.astype(np.int64)
    as_it_came[changes.message[changes.first]] = before[changes.first]
    changed = _from_then_on(changes.at, after - before, moments)
    came = _from_then_on(states.received, as_it_came, moments)
    counts: list[int] = (int(now.sum()) - changed - came).tolist()
    return counts


def inbox_at(
    session: Session, moments: Sequence[int], account_id: int | None = None
) -> list[InboxDay]:
    """The inbox at each of these moments, in order (seconds since 1970); of one account or all."""
    states, inboxes = states_of_messages(session), folders_with_role(session, "inbox")
    ours: _Flags = states.folder_of > 0
    if account_id is not None:
        of_account = np.zeros_like(ours)
        of_account[listed_numbers(session, _OF_ACCOUNT, (account_id,))] = True
        ours = ours & of_account
    lies, read = np.isin(states.folder_of, inboxes) & ours, states.with_value("seen", 1)
    changes = _Changes(session, inboxes, min(moments, default=0), ours)
    lay, was_read = changes.around(lies, seen=False), changes.around(read, seen=True)
    unread = (lay[0] & ~was_read[0], lay[1] & ~was_read[1])
    wanted = np.array(moments, np.int64)
    counted = (
        _at_moments(states, changes, wanted, lies, lay),
        _at_moments(states, changes, wanted, lies & ~read, unread),
    )
    return [InboxDay(*numbers) for numbers in zip(*counted, strict=True)]
