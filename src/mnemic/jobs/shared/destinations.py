"""Where a move takes a message: the folder of its own mailbox, by id and by path."""

from sqlmodel import Session

from mnemic.core.actions.effect import MoveTo
from mnemic.store.mail.folders import (
    LOCAL,
    ensure_folder,
    folder_paths,
    folder_with_role,
    folders_at,
    folders_with_role,
)

__all__ = ["destinations", "made_destination", "path_of"]


def path_of(session: Session, move: MoveTo) -> str:
    """The path of the folder."""
    if move.role is None:
        return move.path
    return folder_paths(session)[folder_with_role(session, move.role)]


def destinations(session: Session, move: MoveTo) -> tuple[int, ...]:
    """The folder in each mailbox that has it. A message that lies in one of them is there."""
    if move.role is None:
        return folders_at(session, move.path)
    return folders_with_role(session, move.role)


def made_destination(session: Session, move: MoveTo, mailbox_id: int = LOCAL) -> int:
    """The folder of a mailbox, which is made where it is missing."""
    if move.role is None:
        return ensure_folder(session, move.path, mailbox_id)
    return folder_with_role(session, move.role, mailbox_id)
