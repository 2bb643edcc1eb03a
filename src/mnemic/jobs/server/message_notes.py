"""What a reader is told of a message that lies on a server, where it is not as others are."""

from sqlmodel import Session

from mnemic.jobs.server.passing import IN_STEP
from mnemic.store.engine.tables import MessageRow
from mnemic.store.server.connections import connection_of_mailbox
from mnemic.store.server.server_messages import header_only, lies_elsewhere

__all__ = ["message_notes"]


def message_notes(session: Session, row: MessageRow) -> list[str]:
    """That only its header is here, and that its server does not have it where it is here."""
    connection = connection_of_mailbox(session, row.mailbox_id)
    if connection is None or row.id is None:
        return []
    notes = [
        f"Only its header is here: on the server it has {size:,} octets"
        for size in header_only(session, [row.id]).values()
    ]
    if connection.state != IN_STEP and lies_elsewhere(session, row.id):
        notes.append(f"It waits here, where the server does not have it: {connection.state}")
    return notes
