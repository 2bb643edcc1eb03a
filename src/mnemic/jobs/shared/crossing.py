"""A person takes mail from one mailbox to another: its copy is sure there before the original goes.

Rules never do that: a path in a rule is meant within the mailbox of the message.
"""

from sqlmodel import Session

from mnemic.core import MnemicError
from mnemic.store.journal.changes import record_copy, set_slot
from mnemic.store.journal.chosen import choose_ids
from mnemic.store.mail.folders import LOCAL, folder_with_role
from mnemic.store.mail.messages import copy_message
from mnemic.store.server.crossings import crossings_done, note_crossings
from mnemic.store.server.server_messages import header_only

__all__ = ["HeaderOnlyError", "cross", "finish_crossings"]


class HeaderOnlyError(MnemicError):
    """Mail that is not whole here: a copy of it would not be whole, either."""


def cross(
    session: Session, run_id: int, ids: list[int], folder_id: int, mailbox_id: int, *, at: int
) -> None:
    """Take messages into a folder of another mailbox, under a run.

    What comes to this computer is here at once; from a server's mailbox the original goes with the
    server's next word of its copy. Until then it stays where it was. Raises HeaderOnlyError.
    """
    if header_only(session, ids):
        raise HeaderOnlyError(
            "of some of these only the header is here; move them to another mailbox elsewhere"
        )
    erased = folder_with_role(session, "erased")
    copies = {}
    for message_id in ids:
        copied = copy_message(
            session, message_id, folder_id=folder_id, at=at, mailbox_id=mailbox_id
        )
        record_copy(session, run_id, copied, folder_id=folder_id, erased_id=erased)
        copies[message_id] = copied
    if mailbox_id == LOCAL:
        _let_go(session, run_id, ids, at=at)
    else:
        note_crossings(session, run_id, copies)


def finish_crossings(session: Session, *, at: int) -> bool:
    """Let the originals go whose copies lie on their server now; whether there were any."""
    done = crossings_done(session)
    for run_id, ids in done.items():
        _let_go(session, run_id, ids, at=at)
    return bool(done)


def _let_go(session: Session, run_id: int, ids: list[int], *, at: int) -> None:
    choose_ids(session, ids)
    set_slot(session, run_id, "folder_id", folder_with_role(session, "erased"), at=at)
