"""Who has written before, and who was written to."""

from collections.abc import Iterator, Set
from datetime import datetime

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.sql import execute
from mnemic.store.mail.addresses import senders_written_to
from mnemic.store.mail.folders import folders_with_role

__all__ = ["EarlierSenders", "mail_from_people_written_to"]

_EARLIER = (
    "SELECT 1 FROM address AS a"
    " JOIN message_address AS ma ON ma.address_id = a.id AND ma.header = 'from'"
    " JOIN message AS m ON m.id = ma.message_id"
    " WHERE a.canonical = :sender AND (m.received_at, m.id) < (:received, :id) LIMIT 1"
)

#: Comes after every id: of the mail of one second, what is here already came before.
_NOT_HERE_YET = 2**62


class EarlierSenders(Set[str]):
    """Who has written before one message, asked of the store one address at a time."""

    def __init__(self, session: Session, received: datetime, message_id: int) -> None:
        self._session = session
        self._before = {"received": int(received.timestamp()), "id": message_id or _NOT_HERE_YET}

    def __contains__(self, sender: object) -> bool:
        return execute(self._session, _EARLIER, sender=sender, **self._before).first() is not None

    def __iter__(self) -> Iterator[str]:
        senders = (
            "SELECT DISTINCT canonical FROM address AS a"
            " JOIN message_address AS ma ON ma.address_id = a.id AND ma.header = 'from'"
        )
        return (sender for (sender,) in execute(self._session, senders) if sender in self)

    def __len__(self) -> int:
        return sum(1 for _ in self)


def mail_from_people_written_to(session: Session) -> NDArray[np.int64]:
    """The ids of messages from people the owner has written to, each beside its sender's number."""
    written_to = senders_written_to(folders_with_role(session, "sent"))
    rows = driver(session).execute(
        "SELECT ma.message_id, dense_rank() OVER (ORDER BY a.canonical) FROM address AS a"
        " JOIN message_address AS ma ON ma.address_id = a.id AND ma.header = 'from'"
        f" WHERE a.canonical IN ({written_to})"
    )
    return np.array(rows.fetchall(), np.int64).reshape(-1, 2)
