"""Which messages bear which label: arrays that readers share, so that to count takes no time."""

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import listed_numbers
from mnemic.store.engine.session_memory import shared_by
from mnemic.store.mail.folders import folder_with_role
from mnemic.store.mail.message_states import states_of_messages
from mnemic.store.mail.renewed import Newest, Renewed, changed_since

__all__ = ["counts_by_label", "messages_bearing"]

_Ids: TypeAlias = NDArray[np.int64]

_ALL = "SELECT group_concat(message_id || ' ' || label_id, ' ') FROM message_label"
_SINCE = f"{_ALL} WHERE message_id > :top OR message_id IN (SELECT value FROM json_each(:changed))"


@dataclass(frozen=True, slots=True)
class _Bearers:
    """Pairs of a message and a label, in no order; nothing of it is to be written to."""

    messages: _Ids
    labels: _Ids
    newest: Newest


class _RenewedBearers(Renewed[_Bearers]):
    """The bearers, as the newest reader saw them."""

    def read_all(self, session: Session, newest: Newest) -> _Bearers:
        messages, labels = _pairs(session, _ALL, {})
        return _Bearers(messages, labels, newest)

    def read_since(self, session: Session, known: _Bearers, newest: Newest) -> _Bearers | None:
        changed = changed_since(session, known.newest, newest)
        if changed is None:
            return None
        renewed = np.zeros(newest.top + 1, np.bool_)
        renewed[known.newest.top + 1 :] = True
        renewed[changed] = True
        kept = ~renewed[known.messages]
        parameters = {"top": known.newest.top, "changed": str(changed)}
        messages, labels = _pairs(session, _SINCE, parameters)
        return _Bearers(
            np.concatenate([known.messages[kept], messages]),
            np.concatenate([known.labels[kept], labels]),
            newest,
        )


def _pairs(session: Session, sql: str, parameters: dict[str, object]) -> tuple[_Ids, _Ids]:
    numbers = listed_numbers(session, sql, parameters).reshape(-1, 2)
    return numbers[:, 0].copy(), numbers[:, 1].copy()


def _shown(session: Session) -> tuple[_Ids, _Ids, NDArray[np.bool_]]:
    """The pairs of messages that are not erased, and by id which messages are unread."""
    session.flush()
    states, bearers = states_of_messages(session), shared_by(session, _RenewedBearers).of(session)
    erased = folder_with_role(session, "erased")
    folders = states.folder_of[bearers.messages]
    shown = (folders > 0) & (folders != erased)
    return bearers.messages[shown], bearers.labels[shown], ~states.with_value("seen", 1)


def counts_by_label(session: Session) -> tuple[dict[int, int], dict[int, int]]:
    """How many messages bear each label, and how many of them are not read; without erased ones."""
    messages, labels, unread = _shown(session)

    def counted(borne: _Ids) -> dict[int, int]:
        counts = np.bincount(borne)
        return {int(label): int(counts[label]) for label in np.flatnonzero(counts)}

    return counted(labels), counted(labels[unread[messages]])


def messages_bearing(session: Session, label_id: int) -> _Ids:
    """The messages that bear a label, without erased ones, in no order."""
    messages, labels, _ = _shown(session)
    bearing: _Ids = messages[labels == label_id]
    return bearing
