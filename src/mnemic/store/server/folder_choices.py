"""What the owner says a folder of a server is for, where that is not what the server says."""

from typing import Literal, TypeAlias

from sqlmodel import Session

from mnemic.store.engine.sql import execute, fetch

__all__ = ["FolderChoice", "choose_folder", "folder_choices"]

#: A special folder, a plain one though the server says otherwise, or one that is not mirrored.
FolderChoice: TypeAlias = Literal["archive", "sent", "junk", "trash", "plain", "left out"]


def folder_choices(session: Session, mailbox_id: int) -> dict[str, FolderChoice]:
    """What was chosen, by the server's name of the folder."""
    return dict(
        fetch(
            session,
            "SELECT name, choice FROM folder_choice WHERE mailbox_id = :mailbox",
            mailbox=mailbox_id,
        )
    )


def choose_folder(
    session: Session, mailbox_id: int, name: str, choice: FolderChoice | None
) -> None:
    """Say what a folder is for, as nothing else is then; None: whatever the server says."""
    if choice in ("archive", "sent", "junk", "trash"):
        execute(
            session,
            "DELETE FROM folder_choice WHERE mailbox_id = :mailbox AND choice = :choice",
            mailbox=mailbox_id,
            choice=choice,
        )
    execute(
        session,
        "DELETE FROM folder_choice WHERE mailbox_id = :mailbox AND name = :name",
        mailbox=mailbox_id,
        name=name,
    )
    if choice is not None:
        execute(
            session,
            "INSERT INTO folder_choice VALUES (:mailbox, :name, :choice)",
            mailbox=mailbox_id,
            name=name,
            choice=choice,
        )
