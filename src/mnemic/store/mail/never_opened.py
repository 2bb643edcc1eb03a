"""Senders and lists whose mail nobody has ever opened."""

from typing import NamedTuple

from sqlmodel import Session

from mnemic.store.engine.sql import fetch

__all__ = ["NeverOpened", "never_opened"]

#: Fewer messages tell nothing; more groups nobody looks through.
_FEWEST, _MOST = 5, 12


class NeverOpened(NamedTuple):
    """Mail of a list, or of a sender where it came through none, all of it unread.

    ``since`` is when the first of it was received (seconds since 1970), ``called`` what people call
    the sender, ``ids`` the messages.
    """

    list_id: str | None
    sender: str
    called: str
    since: int
    ids: list[int]


def never_opened(session: Session) -> list[NeverOpened]:
    """Those with the most mail; what lies in the trash, in Junk or in Sent is left out."""
    rows = fetch(
        session,
        "SELECT m.list_id, min(m.sender_address), max(m.sender_name), min(m.received_at),"
        " group_concat(m.id) FROM message AS m JOIN folder AS f ON f.id = m.folder_id"
        " WHERE f.role IS NULL OR f.role IN ('inbox', 'archive')"
        " GROUP BY coalesce(m.list_id, m.sender_address) HAVING count(*) >= :fewest"
        " AND sum(m.seen) = 0 ORDER BY count(*) DESC, max(m.id) DESC LIMIT :most",
        fewest=_FEWEST,
        most=_MOST,
    )
    return [
        NeverOpened(list_id, sender, called, since, sorted(map(int, ids.split(","))))
        for list_id, sender, called, since, ids in rows
    ]
