"""Where a move takes a message: the folder, by id and by path."""

from sqlmodel import Session

from mnemic.core.actions.effect import MoveTo
from mnemic.store.mail.folders import ensure_folder, folder_at, folder_paths, folder_with_role

__all__ = ["destination", "made_destination", "path_of"]


def path_of(session: Session, move: MoveTo) -> str:
    """The path of the folder."""
    if move.role is None:
        return move.path
    return folder_paths(session)[folder_with_role(session, move.role)]


def destination(session: Session, move: MoveTo) -> int | None:
    """The folder; None where it is still to be made."""
    if move.role is None:
        return folder_at(session, move.path)
    return folder_with_role(session, move.role)


def made_destination(session: Session, move: MoveTo) -> int:
    """The folder, which is made where it is missing."""
    if move.role is None:
        return ensure_folder(session, move.path)
    return folder_with_role(session, move.role)
