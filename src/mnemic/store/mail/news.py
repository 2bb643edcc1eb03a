"""What came since some time, and where it went."""

from dataclasses import dataclass

from sqlmodel import Session

from mnemic.store.engine.sql import fetch
from mnemic.store.mail.folders import folder_with_role, folders_with_role

__all__ = ["News", "news_since"]


@dataclass(frozen=True, slots=True)
class News:
    """How many messages came, how many of them rules took, and how many lie in the inbox.

    Counted as Find counts: what was erased is not there any more.
    """

    came: int
    taken: int
    waiting: int


def news_since(session: Session, since: int) -> News:
    """What was received since that time (seconds since 1970)."""
    inboxes = ", ".join(map(str, folders_with_role(session, "inbox")))
    ((came, taken, waiting),) = fetch(
        session,
        "SELECT count(*), coalesce(sum(EXISTS (SELECT 1 FROM trail AS t"
        " WHERE t.message_id = m.id AND t.rule_id IS NOT NULL)), 0),"
        f" coalesce(sum(m.folder_id IN ({inboxes})), 0)"
        " FROM message AS m WHERE m.received_at >= :since AND m.folder_id <> :erased",
        since=since,
        erased=folder_with_role(session, "erased"),
    )
    return News(came, taken, waiting)
