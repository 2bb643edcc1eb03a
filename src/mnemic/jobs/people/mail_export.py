"""Stored mail on its way out, one message in memory at a time."""

from collections.abc import Iterator

from sqlmodel import Session

from mnemic.jobs.shared.selection import Selection, selected_ids
from mnemic.post import ExportedMessage
from mnemic.store.engine.sql import fetch

__all__ = ["exported_messages"]

_ONE = (
    "SELECT o.octets, o.return_path, m.received_at, m.seen, m.flagged FROM message AS m"
    " JOIN message_octets AS o ON o.message_id = m.id WHERE m.id = :id"
)


def exported_messages(session: Session, selection: Selection) -> Iterator[ExportedMessage]:
    """The messages of a selection, oldest first, as they came and with their flags."""
    for message_id in selected_ids(session, selection):
        for octets, return_path, received_at, seen, flagged in fetch(session, _ONE, id=message_id):
            yield ExportedMessage(
                message_id, octets, return_path, received_at, bool(seen), bool(flagged)
            )
