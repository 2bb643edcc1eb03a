"""Folders here follow what the owner says that folders of a server are for.

Nothing is told to the server by that: each of its folders is paired with another one here.
"""

from typing import cast

from sqlmodel import Session

from mnemic.jobs.server.mirrored_folders import FolderList, free_path
from mnemic.store.engine.session_memory import shared_by
from mnemic.store.journal.changes import set_slot
from mnemic.store.journal.chosen import choose_ids
from mnemic.store.journal.runs import begin_run, finish_run
from mnemic.store.mail.folders import (
    Role,
    ensure_folder,
    folder_paths,
    folder_with_role,
    list_folders,
    remove_folder,
)
from mnemic.store.mail.messages import delete_message
from mnemic.store.search.content_masks import ContentMasks
from mnemic.store.server.server_folders import (
    ServerFolder,
    change_server_folder,
    forget_server_folder,
    server_folders,
)
from mnemic.store.server.server_messages import lying_in

__all__ = ["pair_as_chosen"]

_ROLES: tuple[Role, ...] = ("inbox", "archive", "sent", "junk", "trash")


def pair_as_chosen(session: Session, mailbox_id: int, folders: FolderList, *, at: int) -> None:
    """Pair the folders of a server anew where the owner has said since what they are for."""
    known = server_folders(session, mailbox_id).values()
    rows = [row for row in known if row.name in folders.listed]
    for row in rows:
        if folders.is_left_out(row.name):
            _leave_out(session, row)
    special = {folder_with_role(session, role, mailbox_id): role for role in _ROLES}
    wanted = {
        row: folders.role(folders.listed[row.name])
        for row in rows
        if not folders.is_left_out(row.name)
    }
    now = {row: special.get(row.folder_id) for row in wanted}
    # If the server names two folders for one use, the first one has it; the other one is plain.
    held = {role for row, role in now.items() if role is not None and role == wanted[row]}
    wrong = [
        (row, role)
        for row, role in wanted.items()
        if now[row] != role and (now[row] is not None or role not in held)
    ]
    if not wrong:
        return
    run_id = begin_run(session, at=at, actor="elsewhere", lasting=True)
    # First whoever is special no more makes room, then whoever is special now comes in.
    for row, _ in wrong:
        if now[row] is not None:
            path = free_path(session, mailbox_id, folders, folders.listed[row.name])
            _move(session, run_id, row, ensure_folder(session, path, mailbox_id), at=at)
    for row, role in wrong:
        if role is not None:
            _make_special(session, run_id, row.id, cast(Role, role), mailbox_id, at=at)
    finish_run(session, run_id, "Special folders as you chose them")


def _make_special(
    session: Session, run_id: int, row_id: int, role: Role, mailbox_id: int, *, at: int
) -> None:
    """Let a folder of the server be the special one here, unless another one is."""
    rows = server_folders(session, mailbox_id)
    special = folder_with_role(session, role, mailbox_id)
    if special in rows:
        return
    row = next(folder for folder in rows.values() if folder.id == row_id)
    plain = row.folder_id
    _move(session, run_id, row, special, at=at)
    _remove_empty(session, plain)


def _move(session: Session, run_id: int, row: ServerFolder, folder_id: int, *, at: int) -> None:
    """Pair a folder of the server with another one here, with the mail that lies in it."""
    choose_ids(session, lying_in(session, row.id, row.folder_id))
    set_slot(session, run_id, "folder_id", folder_id, at=at)
    path = folder_paths(session)[folder_id]
    change_server_folder(session, row, folder_id=folder_id, path=path)


def _leave_out(session: Session, row: ServerFolder) -> None:
    """Take away what is mirrored of a folder; on the server nothing changes."""
    ids = lying_in(session, row.id)
    for message_id in ids:
        delete_message(session, message_id)
    shared_by(session, ContentMasks).forget_messages(ids)
    forget_server_folder(session, row)
    _remove_empty(session, row.folder_id)


def _remove_empty(session: Session, folder_id: int) -> None:
    """Take a plain folder away that nothing lies in."""
    folders = list_folders(session)
    folder = next((other for other in folders if other.id == folder_id), None)
    has_below = any(other.parent_id == folder_id for other in folders)
    if folder is not None and folder.role is None and not folder.total and not has_below:
        remove_folder(session, folder_id)
