"""Stored mail on its way out, one message in memory at a time."""

from collections.abc import Iterator

from sqlmodel import Session

from mnemic.post import ExportedMessage
from mnemic.store.mail.messages import whole_message
from mnemic.store.search.selection import Selection, selected_ids

__all__ = ["exported_messages"]


def exported_messages(session: Session, selection: Selection) -> Iterator[ExportedMessage]:
    """The messages of a selection, oldest first, as they came and with their flags."""
    for message_id in selected_ids(session, selection):
        whole = whole_message(session, message_id)
        if whole is not None:
            yield ExportedMessage(message_id, *whole)
