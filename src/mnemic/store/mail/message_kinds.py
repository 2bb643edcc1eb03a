"""Which messages are of which kind, and how many of a list: an array that readers share."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.session_memory import shared_by
from mnemic.store.mail.by_value import ids_by
from mnemic.store.mail.folders import folder_with_role
from mnemic.store.mail.label_bearers import messages_bearing
from mnemic.store.mail.message_states import states_of_messages
from mnemic.store.mail.renewed import Newest, Renewed

__all__ = ["count_kinds", "messages_of_kinds"]

_NEW = "SELECT id, kind FROM message WHERE id > ?"


@dataclass(frozen=True, slots=True)
class _Kinds:
    """The place of a message's kind in ``names``, by id; nobody may write to it."""

    kind_of: NDArray[np.uint8]
    names: tuple[str, ...]
    newest: Newest


class _RenewedKinds(Renewed[_Kinds]):
    """The kinds, as the newest reader saw them."""

    def read_all(self, session: Session, newest: Newest) -> _Kinds:
        by_kind = dict(ids_by(session, "kind"))
        kind_of = np.zeros(newest.top + 1, np.uint8)
        for place, messages in enumerate(by_kind.values()):
            kind_of[messages] = place
        return _Kinds(kind_of, tuple(by_kind), newest)

    def read_since(self, session: Session, known: _Kinds, newest: Newest) -> _Kinds:
        """Read the new messages: the kind of a message never changes."""
        kind_of, names = np.zeros(newest.top + 1, np.uint8), list(known.names)
        kind_of[: known.newest.top + 1] = known.kind_of
        for message_id, kind in driver(session).execute(_NEW, (known.newest.top,)).fetchall():
            if kind not in names:
                names.append(kind)
            kind_of[message_id] = names.index(kind)
        return _Kinds(kind_of, tuple(names), newest)


def messages_of_kinds(session: Session) -> dict[str, NDArray[np.int64]]:
    """The messages of each kind of mail, by the kind's name."""
    kinds, states = shared_by(session, _RenewedKinds).of(session), states_of_messages(session)
    there = states.folder_of > 0
    return {
        name: np.flatnonzero(there & (kinds.kind_of == place))
        for place, name in enumerate(kinds.names)
    }


def count_kinds(
    session: Session, *, folder_id: int | None = None, label_id: int | None = None
) -> dict[str, int]:
    """How many messages of each kind a folder holds, or bear a label; the most frequent first."""
    kinds, states = shared_by(session, _RenewedKinds).of(session), states_of_messages(session)
    if label_id is not None:
        listed = messages_bearing(session, label_id)
    else:
        erased = folder_with_role(session, "erased")
        listed = np.flatnonzero((states.folder_of > 0) & (states.folder_of != erased))
    if folder_id is not None:
        listed = listed[states.folder_of[listed] == folder_id]
    counts = np.bincount(kinds.kind_of[listed], minlength=len(kinds.names))
    most_first = np.argsort(-counts, kind="stable").tolist()
    return {kinds.names[place]: int(counts[place]) for place in most_first if counts[place]}
