"""Folders: a tree, addressed by paths with "/" between levels."""

from dataclasses import dataclass

from sqlalchemy import func
from sqlmodel import Session, col, select

from mnemic.store.tables import FolderRow, MessageRow

__all__ = ["Folder", "ensure_folder", "folder_paths", "inbox_id", "list_folders"]


@dataclass(frozen=True, slots=True)
class Folder:
    """A folder with how many messages it holds, and how many of them are unread."""

    id: int
    path: str
    role: str | None
    total: int
    unread: int


def _rows(session: Session) -> dict[int, FolderRow]:
    return {row.id: row for row in session.exec(select(FolderRow)) if row.id is not None}


def folder_paths(session: Session) -> dict[int, str]:
    """The path of every folder, by id."""
    rows = _rows(session)

    def path(row: FolderRow) -> str:
        return f"{path(rows[row.parent_id])}/{row.name}" if row.parent_id else row.name

    return {folder_id: path(row) for folder_id, row in rows.items()}


def ensure_folder(session: Session, path: str) -> int:
    """The id of the folder at ``path``, which is made, with those above it, where it is missing.

    Case does not tell folders apart: two that differ in it alone would be taken for one. What was
    found is remembered for the session's short life.
    """
    known: dict[str, int] = session.info.setdefault("folders", {})
    key = path.casefold()
    if key not in known:
        above, _, name = path.rpartition("/")
        parent = ensure_folder(session, above) if above else None
        known[key] = _ensure_child(session, parent, name)
    return known[key]


def _ensure_child(session: Session, parent: int | None, name: str) -> int:
    siblings = session.exec(
        select(FolderRow).where(col(FolderRow.parent_id).is_not_distinct_from(parent))
    )
    row = next((each for each in siblings if each.name.casefold() == name.casefold()), None)
    if row is None:
        row = FolderRow(parent_id=parent, name=name)
        session.add(row)
        session.flush()
    return row.id or 0


def inbox_id(session: Session) -> int:
    """The id of the inbox, which every mailbox has (RFC 9051's INBOX)."""
    return ensure_folder(session, "Inbox")


def list_folders(session: Session) -> list[Folder]:
    """Every folder, the inbox first, then by path."""
    counts = {
        folder_id: (total, unread)
        for folder_id, total, unread in session.exec(
            select(
                MessageRow.folder_id,
                func.count(),
                func.sum(1 - col(MessageRow.seen)),
            ).group_by(col(MessageRow.folder_id))
        )
    }
    paths, rows = folder_paths(session), _rows(session)
    folders = [
        Folder(folder_id, path, rows[folder_id].role, *counts.get(folder_id, (0, 0)))
        for folder_id, path in paths.items()
    ]
    return sorted(folders, key=lambda each: (each.role != "inbox", each.path.casefold()))
