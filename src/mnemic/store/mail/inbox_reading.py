"""How the mail of the inbox is read: from whom it is, when it came, when it was first read."""

from typing import NamedTuple

from sqlmodel import Session

from mnemic.store.engine.sql import fetch
from mnemic.store.mail.folders import inbox_id

__all__ = ["InboxMessage", "inbox_messages"]


class InboxMessage(NamedTuple):
    """A message in the inbox; times are in seconds since 1970-01-01 UTC.

    ``read_at`` is when it was first read, None where it never was; what came in as read was read
    when it came.
    """

    id: int
    sender_name: str
    sender: str
    list_id: str | None
    kind: str
    received_at: int
    read_at: int | None


def inbox_messages(session: Session) -> list[InboxMessage]:
    """All mail in the inbox."""
    rows = fetch(
        session,
        "SELECT m.id, m.sender_name, m.sender_address, m.list_id, m.kind, m.received_at, coalesce("
        "(SELECT min(r.at) FROM journal AS j JOIN run AS r ON r.id = j.run_id"
        " WHERE j.entity = 'message' AND j.entity_id = m.id AND j.slot = 'seen'"
        " AND j.after = '1' AND r.undone_by IS NULL),"
        " CASE WHEN m.seen THEN m.received_at END)"
        " FROM message AS m WHERE m.folder_id = :inbox",
        inbox=inbox_id(session),
    )
    return [InboxMessage(*row) for row in rows]
