"""Folders and labels made, renamed, moved and deleted by a person; each can be undone."""

from sqlmodel import Session

from mnemic.core.actions import ColourName
from mnemic.core.canonical import canonical_path
from mnemic.jobs.shared.large_moves import ask_about_chosen
from mnemic.jobs.shared.watched import refuse_watched
from mnemic.store.journal.changes import set_slot, take_label
from mnemic.store.journal.chosen import choose_in_folders, choose_labelled
from mnemic.store.journal.rows import record_row, row_values
from mnemic.store.journal.runs import Actor, begin_run, finish_run
from mnemic.store.line.naming import rename_in_rules
from mnemic.store.mail.folders import (
    LOCAL,
    FolderError,
    below,
    change_folder,
    ensure_folder,
    folder_at,
    folder_paths,
    folder_with_role,
    folders_with_role,
    mailboxes_of_folders,
    remove_folder,
    special_among,
    upwards,
)
from mnemic.store.mail.labels import (
    LabelError,
    ensure_label,
    label_called,
    label_name,
    remove_label,
    set_label,
)

__all__ = [
    "change_label",
    "delete_folder",
    "delete_label",
    "make_folder",
    "make_label",
    "move_folder",
]


def make_folder(session: Session, path: str, *, at: int, mailbox_id: int = LOCAL) -> int:
    """Make a folder in a mailbox, with those above it that are missing; its id.

    Raises FolderError where it is there already, or the path names nothing.
    """
    levels = [level.strip() for level in path.split("/")]
    if not all(levels):
        raise FolderError("a folder needs a name at every level, as in Moorings/Permits")
    path = "/".join(levels)
    paths = folder_paths(session)
    if folder_at(session, path, mailbox_id) is not None:
        raise FolderError(f"there is a folder “{path}” already; choose another name")
    refuse_watched(session, [mailbox_id])
    run_id = begin_run(session, at=at, actor="person")
    folder_id = ensure_folder(session, path, mailbox_id)
    for made in reversed(list(upwards(session, folder_id))):
        if made not in paths:
            record_row(session, run_id, "folder", made, None)
    finish_run(session, run_id, f"Folder “{path}” made")
    return folder_id


def move_folder(
    session: Session,
    folder_id: int,
    *,
    name: str,
    parent_id: int | None,
    at: int,
    actor: Actor = "person",
) -> int | None:
    """Rename a folder or move it elsewhere, rules with it; the run, or None where there is none.

    ``actor`` is who did it. Raises FolderError where that can't be.
    """
    before, paths = row_values(session, "folder", folder_id), folder_paths(session)
    if actor == "person" and folder_id in paths:
        refuse_watched(session, [mailboxes_of_folders(session)[folder_id]])
    if change_folder(session, folder_id, name=name, parent_id=parent_id) is None:
        return None
    run_id = begin_run(session, at=at, actor=actor)
    record_row(session, run_id, "folder", folder_id, before)
    now = folder_paths(session)
    names = {canonical_path(paths[key]): now[key] for key in below(session, folder_id)}
    rename_in_rules(session, run_id, names, ("folder",), "folder")
    moved = before is not None and before["parent_id"] != parent_id
    verb = "moved to" if moved else "renamed"
    finish_run(session, run_id, f"Folder “{paths[folder_id]}” {verb} “{now[folder_id]}”")
    return run_id


def delete_folder(
    session: Session, folder_id: int, *, at: int, ask_first: bool = False
) -> int | None:
    """Delete a folder and those below it; their mail goes to the trash. The run, or None.

    Raises FolderError where it is a special one, or holds one, and LargeMoveError with a question
    where it is to ``ask_first`` and much of the mail would go.
    """
    folders = list(below(session, folder_id))
    if folder_id not in folder_paths(session):
        return None
    special = special_among(session, folders)
    if special is not None:
        raise FolderError(f"{special} is a special folder; it can’t be deleted")
    path, mailbox_id = folder_paths(session)[folder_id], mailboxes_of_folders(session)[folder_id]
    refuse_watched(session, [mailbox_id])
    trash = folder_with_role(session, "trash", mailbox_id)
    choose_in_folders(session, folders)
    if ask_first:
        ask_about_chosen(session, folders_with_role(session, "trash"))
    run_id = begin_run(session, at=at, actor="person")
    set_slot(session, run_id, "folder_id", trash, at=at)
    for inner_id in folders:
        before = row_values(session, "folder", inner_id)
        remove_folder(session, inner_id)
        record_row(session, run_id, "folder", inner_id, before)
    finish_run(session, run_id, f"Folder “{path}” deleted")
    return run_id


def make_label(session: Session, name: str, colour: ColourName | None, *, at: int) -> int:
    """Make a label, in a colour or the next free one; its id. Raises LabelError where it exists."""
    if not name.strip():
        raise LabelError("a label needs a name; write one")
    if label_called(session, name.strip()) is not None:
        raise LabelError(f"there is a label “{name.strip()}” already; choose another name")
    run_id = begin_run(session, at=at, actor="person")
    label_id = ensure_label(session, name.strip())
    if colour is not None:
        set_label(session, label_id, name=name.strip(), colour=colour)
    record_row(session, run_id, "label", label_id, None)
    finish_run(session, run_id, f"Label “{name.strip()}” made")
    return label_id


def change_label(session: Session, label_id: int, *, name: str, colour: str, at: int) -> bool:
    """Rename or recolour a label, rules with it; False where there is none.

    Raises LabelError where another has that name.
    """
    old, name = label_name(session, label_id), name.strip()
    if old is None:
        return False
    like = label_called(session, name)
    if not name or (like is not None and like != label_id):
        taken = f"there is a label “{name}” already; choose another name"
        raise LabelError(taken if name else "a label needs a name; write one")
    before = row_values(session, "label", label_id)
    run_id = begin_run(session, at=at, actor="person")
    set_label(session, label_id, name=name, colour=colour)
    record_row(session, run_id, "label", label_id, before)
    if old != name:
        rename_in_rules(session, run_id, {canonical_path(old): name}, ("label",), "label")
    finish_run(session, run_id, f"Label “{old}” changed")
    return True


def delete_label(session: Session, label_id: int, *, at: int) -> int | None:
    """Take a label off every message and delete it. The run, or None where there is no such."""
    name = label_name(session, label_id)
    if name is None:
        return None
    run_id = begin_run(session, at=at, actor="person")
    choose_labelled(session, label_id)
    take_label(session, run_id, label_id)
    before = row_values(session, "label", label_id)
    remove_label(session, label_id)
    record_row(session, run_id, "label", label_id, before)
    finish_run(session, run_id, f"Label “{name}” deleted")
    return run_id
