"""The discussion lists that mail came through."""

from sqlmodel import Session

from mnemic.store.engine.sql import fetch

__all__ = ["lists_of_mail"]

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
