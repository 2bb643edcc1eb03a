"""How the mail of the inbox is read: from whom it is, when it came, when it was first read."""

from functools import partial
from typing import NamedTuple

from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.mail.folders import folders_with_role

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


#: Lists or senders of which there is much lately.
_MUCH = (
    "m.{column} IN (SELECT {column} FROM message WHERE folder_id IN ({inboxes})"
    " AND received_at > :since GROUP BY {column} HAVING count(*) >= :least)"
)


def inbox_messages(session: Session, *, since: int, least: int) -> list[InboxMessage]:
    """Mail in the inbox of lists and senders that sent so much since then, and of machines."""
    inboxes = ", ".join(map(str, folders_with_role(session, "inbox")))
    much_of = partial(_MUCH.format, inboxes=inboxes)
    rows = driver(session).execute(
        "SELECT m.id, m.sender_name, m.sender_address, m.list_id, m.kind, m.received_at, coalesce("
        "(SELECT min(r.at) FROM journal AS j JOIN run AS r ON r.id = j.run_id"
        " WHERE j.entity = 'message' AND j.entity_id = m.id AND j.slot = 'seen'"
        " AND j.after = '1' AND r.undone_by IS NULL),"
        " CASE WHEN m.seen THEN m.received_at END)"
        f" FROM message AS m WHERE m.folder_id IN ({inboxes}) AND (m.kind = 'notification'"
        f" OR {much_of(column='list_id')} OR {much_of(column='sender_address')})",
        {"since": since, "least": least},
    )
    return list(map(InboxMessage._make, rows))
