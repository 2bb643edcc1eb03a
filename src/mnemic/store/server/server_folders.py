"""The folders of a mailbox on its server, each beside the one here."""

from typing import Any, NamedTuple

from sqlmodel import Session

from mnemic.store.engine.server_tables import ServerFolderRow
from mnemic.store.engine.sql import execute, fetch

__all__ = [
    "ServerFolder",
    "add_server_folder",
    "change_server_folder",
    "forget_server_folder",
    "server_folders",
]


class ServerFolder(NamedTuple):
    """A folder on a server, and how far it was looked at.

    ``name`` is the server's, ``path`` what it was here when both were in step. It was looked at
    whole once it is ``mirrored``; from ``arrivals_from`` on UIDs came since it was first seen.
    ``agreed`` tells the last answer that was as what is known here from all others.
    """

    id: int
    mailbox_id: int
    folder_id: int
    name: str
    path: str
    validity: int | None
    uidnext: int
    modseq: int | None
    arrivals_from: int
    mirrored: bool
    agreed: bytes | None


def server_folders(session: Session, mailbox_id: int) -> dict[int, ServerFolder]:
    """What the server has, by the folder's id here."""
    rows = fetch(
        session,
        f"SELECT {', '.join(ServerFolder._fields)} FROM server_folder"
        " WHERE mailbox_id = :mailbox ORDER BY id",
        mailbox=mailbox_id,
    )
    folders = (ServerFolder._make((*row[:-2], bool(row[-2]), row[-1])) for row in rows)
    return {folder.folder_id: folder for folder in folders}


def add_server_folder(
    session: Session, mailbox_id: int, folder_id: int, name: str, path: str
) -> None:
    """Pair a folder of the server with one here."""
    session.add(ServerFolderRow(mailbox_id=mailbox_id, folder_id=folder_id, name=name, path=path))
    session.flush()


def change_server_folder(session: Session, folder: ServerFolder, **columns: Any) -> None:
    """Note what has changed about a folder of the server."""
    row = session.get_one(ServerFolderRow, folder.id)
    for name, value in columns.items():
        setattr(row, name, value)
    session.flush()


def forget_server_folder(session: Session, folder: ServerFolder) -> None:
    """A folder is no more on the server: what was known to lie in it lies nowhere."""
    execute(
        session,
        "UPDATE server_message SET server_folder_id = NULL, uid = NULL"
        " WHERE server_folder_id = :id",
        id=folder.id,
    )
    for table in ("server_left", "server_begun"):
        execute(session, f"DELETE FROM {table} WHERE server_folder_id = :id", id=folder.id)
    execute(session, "DELETE FROM server_folder WHERE id = :id", id=folder.id)
