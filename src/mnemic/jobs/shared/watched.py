"""An account that is only watched changes here only by following what is done there."""

from collections.abc import Iterable

from sqlmodel import Session

from mnemic.core import MnemicError
from mnemic.store.server.connections import mailboxes_of_run, watched_mailboxes

__all__ = ["WatchedError", "refuse_watched", "refuse_watched_run"]


class WatchedError(MnemicError):
    """Something that would change mail of an account that is only watched."""


def refuse_watched(session: Session, mailbox_ids: Iterable[int]) -> None:
    """Raise WatchedError where one of the mailboxes is only watched."""
    watched = watched_mailboxes(session)
    name = next((watched[mailbox_id] for mailbox_id in mailbox_ids if mailbox_id in watched), None)
    if name is not None:
        raise WatchedError(f"“{name}” is only watched: nothing changes there; let rules act first")


def refuse_watched_run(session: Session, run_id: int) -> None:
    """Raise WatchedError where a run that is to be undone was of an account only watched now."""
    refuse_watched(session, mailboxes_of_run(session, run_id))
