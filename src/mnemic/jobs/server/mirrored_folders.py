"""The folders of a server beside those here: found, made, renamed and deleted on either side."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import cast

from sqlmodel import Session

from mnemic.core.canonical import canonical_path
from mnemic.jobs.people.folders_and_labels import move_folder
from mnemic.jobs.server.usual_folders import is_mirrored, local_path, role_of, server_name
from mnemic.post.imap import CommandRefusedError, ListedFolder, ServerMailbox
from mnemic.store import Database
from mnemic.store.journal.rows import record_row, row_values
from mnemic.store.journal.runs import begin_run, finish_run
from mnemic.store.mail.folders import (
    Folder,
    FolderError,
    Role,
    ensure_folder,
    folder_at,
    folder_paths,
    folder_with_role,
    list_folders,
    remove_folder,
)
from mnemic.store.server.folder_choices import FolderChoice
from mnemic.store.server.server_folders import (
    ServerFolder,
    add_server_folder,
    change_server_folder,
    forget_server_folder,
    server_folders,
)
from mnemic.store.server.server_messages import left_on_server

__all__ = [
    "FolderList",
    "drop_deleted_folders",
    "follow_folders",
    "free_path",
    "make_on_server",
    "remove_here",
    "tell_folders",
]

#: RFC 6154's uses, for a folder that is made because something is to go there.
_USE_OF = {"archive": "\\Archive", "sent": "\\Sent", "junk": "\\Junk", "trash": "\\Trash"}


@dataclass(frozen=True)
class FolderList:
    """The folders that a server lists, what stands between levels, and before one's own.

    ``choices`` are what the owner says that some of them are for.
    """

    listed: dict[str, ListedFolder]
    separator: str | None
    prefix: str = ""
    choices: Mapping[str, FolderChoice] = field(default_factory=dict)

    @classmethod
    def of(
        cls, mailbox: ServerMailbox, choices: Mapping[str, FolderChoice] | None = None
    ) -> "FolderList":
        """Ask the server."""
        listed = {folder.name: folder for folder in mailbox.folders()}
        separator = next((folder.separator for folder in listed.values() if folder.separator), None)
        prefix = mailbox.prefix() if listed else ""
        own = "" if prefix.upper() == "INBOX" else prefix
        return cls(listed, separator, own, choices or {})

    def mirrored(self) -> list[ListedFolder]:
        """Those whose mail is mirrored, the inbox first, then by name."""
        folders = [
            listed
            for listed in self.listed.values()
            if is_mirrored(listed) and not self.is_left_out(listed.name)
        ]
        return sorted(folders, key=lambda listed: (listed.name.upper() != "INBOX", listed.name))

    def is_left_out(self, name: str) -> bool:
        """Whether the owner leaves a folder out; the inbox can't be."""
        return self.choices.get(name) == "left out" and name.upper() != "INBOX"

    def role(self, folder: ListedFolder) -> str | None:
        """What a folder is for: what the owner says, else the server, else its name."""
        choice = self.choices.get(folder.name)
        role = role_of(folder, self.listed.values(), self.prefix)
        if choice is None or role == "inbox":
            is_another = role != "inbox" and role in self.choices.values()
            return None if is_another else role
        return None if choice in ("plain", "left out") else choice


def follow_folders(
    session: Session,
    mailbox_id: int,
    folders: FolderList,
    states: Mapping[str, tuple[int, int]],
    *,
    at: int,
) -> list[ServerFolder]:
    """Pair what the server lists with folders here; the rows whose folders it lists no more.

    A folder that was renamed there is renamed here: ``states`` are UIDVALIDITY and UIDNEXT of
    those that may be one that had another name.
    """
    rows = {row.name: row for row in server_folders(session, mailbox_id).values()}
    lost = [row for name, row in rows.items() if name not in folders.listed]
    for listed in folders.mirrored():
        if listed.name in rows:
            continue
        renamed = _renamed(lost, states[listed.name]) if listed.name in states else None
        if renamed is not None and _follow_rename(session, renamed, listed, folders, at):
            lost.remove(renamed)
            continue
        _pair(session, mailbox_id, listed, folders)
    return lost


def _renamed(lost: Iterable[ServerFolder], state: tuple[int, int]) -> ServerFolder | None:
    """The folder that had this UIDVALIDITY, if one alone had; a renamed one keeps its UIDs."""
    validity, uidnext = state
    like = [row for row in lost if row.validity == validity and row.uidnext <= uidnext]
    return like[0] if len(like) == 1 else None


def _follow_rename(
    session: Session, row: ServerFolder, listed: ListedFolder, folders: FolderList, at: int
) -> bool:
    """Rename a folder here as it was there; False where that can't be."""
    if folders.role(listed) is not None or row.folder_id not in folder_paths(session):
        return False
    path = local_path(listed.name, folders.separator, folders.prefix)
    above, _, name = path.rpartition("/")
    parent = ensure_folder(session, above, row.mailbox_id) if above else None
    if canonical_path(folder_paths(session)[row.folder_id]) != canonical_path(path):
        try:
            move_folder(
                session, row.folder_id, name=name, parent_id=parent, at=at, actor="elsewhere"
            )
        except FolderError:
            return False
    now = folder_paths(session)[row.folder_id]
    change_server_folder(session, row, name=listed.name, path=now)
    return True


def _pair(session: Session, mailbox_id: int, listed: ListedFolder, folders: FolderList) -> None:
    """Pair a folder that is new on the server with one here, which is made where it is missing."""
    taken = server_folders(session, mailbox_id)
    role = folders.role(listed)
    if role is not None:
        folder_id = folder_with_role(session, cast(Role, role), mailbox_id)
        if folder_id not in taken:
            add_server_folder(
                session, mailbox_id, folder_id, listed.name, folder_paths(session)[folder_id]
            )
            return
    path = free_path(session, mailbox_id, folders, listed)
    folder_id = ensure_folder(session, path, mailbox_id)
    add_server_folder(session, mailbox_id, folder_id, listed.name, folder_paths(session)[folder_id])


def free_path(session: Session, mailbox_id: int, folders: FolderList, listed: ListedFolder) -> str:
    """The path here of a plain folder of the server, with a number where that is another's."""
    taken = server_folders(session, mailbox_id)
    wanted = local_path(listed.name, folders.separator, folders.prefix)
    path, number = wanted, 1
    special = {folder.id for folder in list_folders(session) if folder.role is not None}
    while (there := folder_at(session, path, mailbox_id)) in taken or there in special:
        number += 1
        path = f"{wanted} ({number})"
    return path


def make_on_server(
    database: Database, mailbox: ServerMailbox, folders: FolderList, folder: Folder
) -> None:
    """Make a folder on the server that is here alone. Raises CommandRefusedError."""
    name = server_name(folder.path, folders.separator, folders.prefix)
    there = folders.listed.get(name)
    if there is None:
        mailbox.make(name, _USE_OF.get(folder.role or ""))
    elif not is_mirrored(there):
        raise CommandRefusedError(f"the server has {name}, and keeps no mail in it")
    elif folders.is_left_out(name):
        raise CommandRefusedError(f"the server has {name}, which is left out in Setup")
    with database.writing() as session:
        add_server_folder(session, folder.mailbox_id, folder.id, name, folder.path)


def tell_folders(
    database: Database, mailbox_id: int, mailbox: ServerMailbox, folders: FolderList
) -> list[str]:
    """Make and rename on the server what was made and renamed here; what it refused, in words."""
    with database.reading() as session:
        here = [local for local in list_folders(session) if local.mailbox_id == mailbox_id]
    troubles = []
    for folder in sorted(here, key=lambda local: local.path.count("/")):
        if folder.role is not None:
            continue  # it is made when something is to go there
        with database.reading() as session:
            row = server_folders(session, mailbox_id).get(folder.id)
        try:
            if row is None and not _is_above_others(folder, folders):
                make_on_server(database, mailbox, folders, folder)
            elif row is not None and canonical_path(row.path) != canonical_path(folder.path):
                new = server_name(folder.path, folders.separator, folders.prefix)
                if row.name != new:
                    mailbox.rename(row.name, new)
                with database.writing() as session:
                    _note_rename(session, folders, row, new, folder.path)
        except CommandRefusedError as refusal:
            troubles.append(f"{folder.path}: {refusal}")
    return troubles


def _is_above_others(folder: Folder, folders: FolderList) -> bool:
    """Whether the server has it as a level alone: others are below it, or it can't be opened."""
    name = server_name(folder.path, folders.separator, folders.prefix)
    below = f"{name}{folders.separator}"
    return name in folders.listed or any(other.startswith(below) for other in folders.listed)


def _note_rename(
    session: Session, folders: FolderList, row: ServerFolder, new: str, path: str
) -> None:
    """A folder has another name on the server, and those below it with it."""
    for folder in server_folders(session, row.mailbox_id).values():
        if folder.id == row.id or folder.name.startswith(f"{row.name}{folders.separator}"):
            follows = folder.id == row.id or folder.path.startswith(f"{row.path}/")
            change_server_folder(
                session,
                folder,
                name=new + folder.name[len(row.name) :],
                path=path + folder.path[len(row.path) :] if follows else folder.path,
            )


def drop_deleted_folders(database: Database, mailbox_id: int, mailbox: ServerMailbox) -> list[str]:
    """Delete on the server what was deleted here, once nothing lies in it; what was refused."""
    with database.reading() as session:
        here, left = folder_paths(session), left_on_server(session, mailbox_id)
        rows = [row for key, row in server_folders(session, mailbox_id).items() if key not in here]
    troubles = []
    for row in sorted(rows, key=lambda folder: -len(folder.name)):
        if row.name.upper() == "INBOX":
            continue
        try:
            mailbox.open(row.name, only_look=True)
            if not {(row.id, uid) for uid in mailbox.uids()} <= left.keys():
                continue  # what came meanwhile is to be seen first
            mailbox.leave()
            mailbox.delete(row.name)
        except CommandRefusedError as refusal:
            troubles.append(f"{row.path}: {refusal}")
            continue
        with database.writing() as session:
            forget_server_folder(session, row)
    return troubles


def remove_here(session: Session, row: ServerFolder, *, at: int) -> None:
    """A folder was deleted elsewhere: so it is here, where nothing of ours is left in it."""
    folder = next((local for local in list_folders(session) if local.id == row.folder_id), None)
    has_below = any(local.parent_id == row.folder_id for local in list_folders(session))
    forget_server_folder(session, row)
    if folder is None or folder.role is not None or folder.total or has_below:
        return
    run_id = begin_run(session, at=at, actor="elsewhere")
    before = row_values(session, "folder", folder.id)
    remove_folder(session, folder.id)
    record_row(session, run_id, "folder", folder.id, before)
    finish_run(session, run_id, f"Folder “{folder.path}” deleted elsewhere")
