"""Folders: a tree in each mailbox, addressed by paths with "/" between levels.

A path is meant within a mailbox; two may have folders of the same paths. What is erased is held
back in one place for all of them.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Literal, TypeAlias

from sqlalchemy import literal_column
from sqlmodel import Session, col, select

from mnemic.core import MnemicError
from mnemic.core.canonical import canonical_name, canonical_path
from mnemic.store.engine.driver import driver
from mnemic.store.engine.session_memory import forget, memory_of
from mnemic.store.engine.stamps import while_unchanged
from mnemic.store.engine.tables import FolderRow
from mnemic.store.mail.message_states import counts_by_folder
from mnemic.store.mail.new_ids import new_id

__all__ = [
    "LOCAL",
    "Folder",
    "FolderError",
    "Role",
    "below",
    "change_folder",
    "ensure_folder",
    "folder_at",
    "folder_paths",
    "folder_with_role",
    "folders_at",
    "folders_with_role",
    "list_folders",
    "look_into",
    "mailboxes_of_folders",
    "make_special_folders",
    "plain_folders",
    "remove_folder",
    "set_look_in",
    "special_among",
    "upwards",
]

#: RFC 6154's special uses, the inbox (RFC 9051), and where erased mail is held back.
Role: TypeAlias = Literal["inbox", "sent", "archive", "junk", "trash", "erased"]

#: The mailbox of what came by SMTP or from files.
LOCAL = 1

#: What special folders are called in every mailbox.
_SPECIAL: dict[Role, str] = {
    "inbox": "Inbox",
    "archive": "Archive",
    "sent": "Sent",
    "junk": "Junk",
    "trash": "Trash",
}

#: Special folders in the order in which they stand; the others follow the inbox by path.
_ORDER = {"inbox": 0, None: 1, "archive": 2, "sent": 3, "junk": 4, "trash": 5}

_DAY = 86_400


class FolderError(MnemicError):
    """A folder that can't be made, renamed or moved so."""


@dataclass(frozen=True, slots=True)
class Folder:
    """A folder with how many messages it holds, and how many of them are unread.

    ``looked_at`` is when it was last opened, in seconds since 1970-01-01 UTC.
    """

    id: int
    mailbox_id: int
    parent_id: int | None
    path: str
    role: str | None
    total: int
    unread: int
    look_in_days: int | None
    looked_at: int | None

    def due(self, now: int) -> bool:
        """Whether its owner wanted to look into it by now, and unread mail waits."""
        if self.look_in_days is None or not self.unread:
            return False
        return now - (self.looked_at or 0) >= self.look_in_days * _DAY


def _rows(session: Session) -> dict[int, FolderRow]:
    return {row.id: row for row in session.exec(select(FolderRow)) if row.id is not None}


class _RoleIds(dict[str, dict[int, int]]):
    """The ids of special folders, by role and mailbox."""


class _FolderIds(dict[tuple[int, tuple[str, ...]], int]):
    """The ids of folders, by mailbox and canonical path."""


def _paths(session: Session) -> dict[int, str]:
    session.flush()
    rows = driver(session).execute("SELECT id, parent_id, name FROM folder ORDER BY id").fetchall()
    named = {key: (parent, name) for key, parent, name in rows}

    def path(key: int) -> str:
        parent, name = named[key]
        return f"{path(parent)}/{name}" if parent else name

    return {key: path(key) for key in named}


def folder_paths(session: Session) -> dict[int, str]:
    """The path of every folder, by id."""
    return while_unchanged(session, "folder paths", ("folder",), lambda: _paths(session))


def folder_at(session: Session, path: str, mailbox_id: int = LOCAL) -> int | None:
    """The id of the folder at a path, in any case; None where it is still to be made."""
    return _at(session, path).get(LOCAL if _is_hidden(path) else mailbox_id)


def folders_at(session: Session, path: str) -> tuple[int, ...]:
    """The ids of the folders at a path, of all mailboxes that have one."""
    return tuple(_at(session, path).values())


def _is_hidden(path: str) -> bool:
    """Nobody can give a name that begins with "/": it is the one of a folder that is not shown."""
    return path.startswith("/")


def _at(session: Session, path: str) -> dict[int, int]:
    known = while_unchanged(
        session, "folders at paths", ("folder",), lambda: _ids_at_paths(session)
    )
    return known.get(canonical_path(path), {})


def _ids_at_paths(session: Session) -> dict[tuple[str, ...], dict[int, int]]:
    """Ids by canonical path and mailbox; if two are the same, the one that was made first."""
    mailboxes = mailboxes_of_folders(session)
    ids: dict[tuple[str, ...], dict[int, int]] = {}
    for key, path in folder_paths(session).items():
        ids.setdefault(canonical_path(path), {}).setdefault(mailboxes[key], key)
    return ids


def plain_folders(session: Session, mailbox_id: int) -> tuple[int, ...]:
    """The folders of a mailbox but Sent, Junk, Trash and what is held back."""
    left_out = ("sent", "junk", "trash", "erased")
    return tuple(
        folder.id
        for folder in list_folders(session)
        if folder.mailbox_id == mailbox_id and folder.role not in left_out
    )


def mailboxes_of_folders(session: Session) -> dict[int, int]:
    """The mailbox of every folder, by its id."""

    def read() -> dict[int, int]:
        return dict(driver(session).execute("SELECT id, mailbox_id FROM folder").fetchall())

    return while_unchanged(session, "mailboxes of folders", ("folder",), read)


def folder_with_role(session: Session, role: Role, mailbox_id: int = LOCAL) -> int:
    """The id of the folder with a special use; every mailbox has one of each."""
    return _roles(session)[role][LOCAL if role == "erased" else mailbox_id]


def folders_with_role(session: Session, role: Role) -> tuple[int, ...]:
    """The ids of the folders with a special use, of all mailboxes."""
    return tuple(_roles(session)[role].values())


def _roles(session: Session) -> dict[str, dict[int, int]]:
    """The ids of special folders, by role and mailbox."""

    def read() -> dict[str, dict[int, int]]:
        rows = driver(session).execute(
            "SELECT role, mailbox_id, id FROM folder WHERE role IS NOT NULL ORDER BY mailbox_id"
        )
        ids: dict[str, dict[int, int]] = {}
        for role, mailbox_id, key in rows.fetchall():
            ids.setdefault(role, {})[mailbox_id] = key
        return ids

    known = memory_of(session, _RoleIds)
    if not known:
        known |= while_unchanged(session, "roles", ("folder",), read)
    return known


def make_special_folders(session: Session, mailbox_id: int) -> None:
    """Make what every mailbox has, in a new one."""
    forget(session, _RoleIds)
    for role, name in _SPECIAL.items():
        key, canonical = new_id(session, "folder"), canonical_name(name)
        row = FolderRow(id=key, mailbox_id=mailbox_id, name=name, canonical=canonical, role=role)
        session.add(row)
    session.flush()


def ensure_folder(session: Session, path: str, mailbox_id: int = LOCAL) -> int:
    """The id of the folder at ``path``, which is made, with those above it, where it is missing.

    Case does not tell folders apart: two that differ in it alone would be taken for one. What was
    found is remembered for the session's short life.
    """
    known = memory_of(session, _FolderIds)
    key = mailbox_id, canonical_path(path)
    if key not in known:
        there = None if _is_hidden(path) else folder_at(session, path, mailbox_id)
        known[key] = _make(session, path, mailbox_id) if there is None else there
    return known[key]


def _make(session: Session, path: str, mailbox_id: int) -> int:
    if _is_hidden(path):
        above, name, mailbox_id = "", path, LOCAL
    else:
        above, _, name = path.rpartition("/")
    parent = ensure_folder(session, above, mailbox_id) if above else None
    row = _child(session, mailbox_id, parent, name)
    if row is None:
        row = FolderRow(
            id=new_id(session, "folder"),
            mailbox_id=mailbox_id,
            parent_id=parent,
            name=name,
            canonical=canonical_name(name),
        )
        session.add(row)
        session.flush()
    return row.id or 0


def _child(session: Session, mailbox_id: int, parent: int | None, name: str) -> FolderRow | None:
    return session.exec(
        select(FolderRow)
        .where(FolderRow.mailbox_id == mailbox_id)
        .where(literal_column("coalesce(parent_id, 0)") == (parent or 0))  # as the index has it
        .where(FolderRow.canonical == canonical_name(name))
        .order_by(col(FolderRow.id))
    ).first()


def below(session: Session, folder_id: int) -> Iterator[int]:
    """The folder and those below it, the deepest first."""
    for child in session.exec(select(FolderRow.id).where(FolderRow.parent_id == folder_id)).all():
        yield from below(session, child or 0)
    yield folder_id


def upwards(session: Session, folder_id: int | None) -> Iterator[int]:
    """The folder and those above it, up to the top."""
    while folder_id is not None:
        yield folder_id
        row = session.get(FolderRow, folder_id)
        folder_id = row.parent_id if row else None


def special_among(session: Session, folder_ids: Iterable[int]) -> str | None:
    """The name of the first of these folders that every mailbox has; None where there is none."""
    rows = (session.get_one(FolderRow, folder_id) for folder_id in folder_ids)
    return next((row.name for row in rows if row.role is not None), None)


def remove_folder(session: Session, folder_id: int) -> None:
    """Delete a folder that holds nothing any more."""
    session.delete(session.get_one(FolderRow, folder_id))
    forget(session, _FolderIds)


def change_folder(
    session: Session, folder_id: int, *, name: str, parent_id: int | None
) -> FolderRow | None:
    """Rename a folder, or move it below another (or to the top); None where there is none.

    Raises FolderError where it is a special one, would be below itself, or meets its like.
    """
    row = session.get(FolderRow, folder_id)
    if row is None or row.role == "erased":
        return None
    name = name.strip()
    if row.role is not None:
        raise FolderError(f"{row.name} is a special folder; it keeps its name and its place")
    if not name or "/" in name:
        raise FolderError("a folder needs a name, without “/” in it; write one")
    if parent_id is not None:
        above = session.get(FolderRow, parent_id)
        if above is None or above.role == "erased":
            raise FolderError("the folder to move it into is not here any more; choose another")
        if above.mailbox_id != row.mailbox_id:
            raise FolderError(f"{above.name} is in another mailbox; choose a folder of its own")
        if parent_id in set(below(session, folder_id)):
            raise FolderError(
                f"{row.name} can’t be moved into itself or a folder below it; choose another"
            )
    like = _child(session, row.mailbox_id, parent_id, name)
    if like is not None and like.id != folder_id:
        raise FolderError(
            f"there is a folder “{like.name}” in that place already; choose another name"
        )
    row.name, row.canonical, row.parent_id = name, canonical_name(name), parent_id
    session.flush()
    forget(session, _FolderIds)
    return row


def look_into(session: Session, folder_id: int, *, at: int) -> bool:
    """Note that its owner has opened a folder. Whether there is such a folder."""
    row = session.get(FolderRow, folder_id)
    if row is None:
        return False
    if row.look_in_days is not None:  # what nobody asks about is not written down
        row.looked_at = at
    return True


def set_look_in(session: Session, folder_id: int, days: int | None, *, at: int) -> bool:
    """Set how often its owner wants to look into a folder; None: no matter how often.

    The time begins when it is first asked for: nothing is due at once.
    """
    row = session.get(FolderRow, folder_id)
    if row is None:
        return False
    if row.look_in_days is None:
        row.looked_at = at
    row.look_in_days = days
    return True


def list_folders(session: Session) -> list[Folder]:
    """Every folder that is shown, by mailbox: the inbox, then by path, then the special ones."""
    total, unread = counts_by_folder(session)
    rows = _rows(session)
    paths = _paths(session)
    folders = [
        Folder(
            folder_id,
            row.mailbox_id,
            row.parent_id,
            paths[folder_id],
            row.role,
            total.get(folder_id, 0),
            unread.get(folder_id, 0),
            row.look_in_days,
            row.looked_at,
        )
        for folder_id, row in rows.items()
        if row.role != "erased"
    ]
    roles = {
        (rows[folder_id].mailbox_id, canonical_path(path)): rows[folder_id].role
        for folder_id, path in paths.items()
    }

    def place(folder: Folder) -> tuple[int, int, tuple[str, ...]]:
        levels = canonical_path(folder.path)
        top = roles.get((folder.mailbox_id, levels[:1]))
        return folder.mailbox_id, _ORDER.get(top, 1), levels

    return sorted(folders, key=place)
