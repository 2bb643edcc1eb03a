"""Messages destroyed for good, and the history that says so."""

from sqlmodel import Session

from mnemic.store.engine.session_memory import shared_by
from mnemic.store.journal.changes import SlotChange, record_changes
from mnemic.store.journal.runs import count_in_run, join_run
from mnemic.store.mail.messages import delete_message
from mnemic.store.search.content_masks import ContentMasks

__all__ = ["GONE_FROM_TRASH", "destroy"]

#: What the history says of mail whose time in the trash is over.
GONE_FROM_TRASH = "Gone from the trash for good"


def destroy(session: Session, saying: str, folder_id: int, ids: list[int], now: int) -> None:
    """Destroy messages of a folder: in the history one run for all that goes on one occasion."""
    run_id = join_run(session, saying, at=now, since=now, until=now + 1, actor="housekeeping")
    for message_id in ids:
        record_changes(session, run_id, message_id, [SlotChange("destroyed", folder_id, None)])
        delete_message(session, message_id)
    count_in_run(session, run_id, len(ids))
    shared_by(session, ContentMasks).forget_messages(ids)
