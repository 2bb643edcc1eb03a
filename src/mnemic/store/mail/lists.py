"""The discussion lists that mail came through."""

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.sql import fetch

__all__ = ["lists_of_mail", "messages_of_lists"]

#: More are never shown one by one.
_MOST = 20


def lists_of_mail(session: Session) -> list[str]:
    """The identifiers of lists, those with the most mail first."""
    rows = fetch(
        session,
        "SELECT list_id FROM message WHERE list_id IS NOT NULL AND kind = 'discussion'"
        " GROUP BY list_id ORDER BY count(*) DESC, list_id LIMIT :most",
        most=_MOST,
    )
    return [str(list_id) for (list_id,) in rows]


def messages_of_lists(session: Session) -> dict[str, NDArray[np.int64]]:
    """By the identifier of each list, as its mail has it, the messages that came through it."""
    rows = fetch(
        session,
        "SELECT list_id, group_concat(id, ' ') FROM message WHERE list_id IS NOT NULL"
        " GROUP BY list_id",
    )
    return {str(list_id): np.fromstring(ids, np.int64, sep=" ") for list_id, ids in rows}
