"""Folders and labels made, renamed, moved and deleted by a person; each can be undone."""

import json
from typing import Any, TypeAlias

from sqlmodel import Session, select

from mnemic.core.actions import ColourName
from mnemic.core.canonical import canonical_path
from mnemic.jobs.shared.large_moves import ask_about_chosen
from mnemic.store.engine.sql import Statement
from mnemic.store.engine.tables import FolderRow, LabelRow, RuleRow
from mnemic.store.journal.changes import (
    begin_run,
    choose_where,
    finish_run,
    record_row,
    row_values,
    set_slot,
    take_label,
)
from mnemic.store.mail.folders import (
    FolderError,
    below,
    change_folder,
    ensure_folder,
    folder_at,
    folder_paths,
    folder_with_role,
)
from mnemic.store.mail.labels import LabelError, ensure_label, label_called, rename_label

__all__ = [
    "change_label",
    "delete_folder",
    "delete_label",
    "make_folder",
    "make_label",
    "move_folder",
]


#: Old names in the form in which they are compared, with the new ones.
_Names: TypeAlias = dict[tuple[str, ...], str]


def _renamed(value: Any, names: _Names, keys: tuple[str, ...], field: str) -> Any:
    """A rule's JSON in which folders (or labels) of old names have their new ones."""
    if isinstance(value, list):
        return [_renamed(each, names, keys, field) for each in value]
    if not isinstance(value, dict):
        return value
    changed = {key: _renamed(each, names, keys, field) for key, each in value.items()}
    for key in keys:
        name = changed.get(key)
        if "do" in changed and isinstance(name, str):
            changed[key] = names.get(canonical_path(name), name)
    if changed.get("field") == field:
        changed["values"] = [names.get(canonical_path(name), name) for name in changed["values"]]
    return changed


def _rename_in_rules(
    session: Session, run_id: int, names: _Names, keys: tuple[str, ...], field: str
) -> None:
    """Rules follow what they name: a rename must not make them file into a folder that is gone."""
    for row in session.exec(select(RuleRow)):
        document = _renamed(json.loads(row.document), names, keys, field)
        if document == json.loads(row.document):
            continue
        before = row_values(session, "rule", row.id or 0)
        row.document = json.dumps(document, ensure_ascii=False)
        record_row(session, run_id, "rule", row.id or 0, before)


def make_folder(session: Session, path: str, *, at: int) -> int:
    """Make a folder, with those above it that are missing; its id.

    Raises FolderError where it is there already, or the path names nothing.
    """
    levels = [level.strip() for level in path.split("/")]
    if not all(levels):
        raise FolderError("a folder needs a name at every level, as in Moorings/Permits")
    path = "/".join(levels)
    paths = folder_paths(session)
    if folder_at(session, path) is not None:
        raise FolderError(f"there is a folder “{path}” already")
    run_id = begin_run(session, at=at, actor="person")
    folder_id = ensure_folder(session, path)
    for made in reversed(list(_upwards(session, folder_id))):
        if made not in paths:
            record_row(session, run_id, "folder", made, None)
    finish_run(session, run_id, f"Folder “{path}” made")
    return folder_id


def _upwards(session: Session, folder_id: int | None) -> Any:
    while folder_id is not None:
        yield folder_id
        row = session.get(FolderRow, folder_id)
        folder_id = row.parent_id if row else None


def move_folder(
    session: Session, folder_id: int, *, name: str, parent_id: int | None, at: int
) -> int | None:
    """Rename a folder or move it elsewhere, rules with it; the run, or None where there is none.

    Raises FolderError where that can't be.
    """
    before, paths = row_values(session, "folder", folder_id), folder_paths(session)
    if change_folder(session, folder_id, name=name, parent_id=parent_id) is None:
        return None
    run_id = begin_run(session, at=at, actor="person")
    record_row(session, run_id, "folder", folder_id, before)
    now = folder_paths(session)
    names = {canonical_path(paths[each]): now[each] for each in below(session, folder_id)}
    _rename_in_rules(session, run_id, names, ("folder",), "folder")
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
    rows = [session.get(FolderRow, each) for each in folders]
    if not all(rows):
        return None
    special = next((row for row in rows if row is not None and row.role is not None), None)
    if special is not None:
        raise FolderError(f"{special.name} is a special folder; it can’t be deleted")
    path, trash = folder_paths(session)[folder_id], folder_with_role(session, "trash")
    choose_where(session, _messages_in(folders))
    if ask_first:
        ask_about_chosen(session, trash)
    run_id = begin_run(session, at=at, actor="person")
    set_slot(session, run_id, "folder_id", trash, at=at)
    for each, row in zip(folders, rows, strict=True):
        before = row_values(session, "folder", each)
        session.delete(row)
        record_row(session, run_id, "folder", each, before)
    session.info.pop("folders", None)
    finish_run(session, run_id, f"Folder “{path}” deleted")
    return run_id


def _messages_in(folders: list[int]) -> Statement:
    named = {f"f{number}": each for number, each in enumerate(folders)}
    listed = ", ".join(f":{name}" for name in named)
    return Statement(f"SELECT id FROM message WHERE folder_id IN ({listed})", named)  # noqa: S608 -- names of our own


def make_label(session: Session, name: str, colour: ColourName | None, *, at: int) -> int:
    """Make a label, in a colour or the next free one; its id. Raises LabelError where it exists."""
    if not name.strip():
        raise LabelError("a label needs a name")
    if label_called(session, name.strip()) is not None:
        raise LabelError(f"there is a label “{name.strip()}” already")
    run_id = begin_run(session, at=at, actor="person")
    label_id = ensure_label(session, name.strip())
    row = session.get(LabelRow, label_id)
    if row is not None and colour is not None:
        row.colour = colour
    record_row(session, run_id, "label", label_id, None)
    finish_run(session, run_id, f"Label “{name.strip()}” made")
    return label_id


def change_label(session: Session, label_id: int, *, name: str, colour: str, at: int) -> bool:
    """Rename or recolour a label, rules with it; False where there is none.

    Raises LabelError where another has that name.
    """
    row, name = session.get(LabelRow, label_id), name.strip()
    if row is None:
        return False
    like = label_called(session, name)
    if not name or (like is not None and like != label_id):
        raise LabelError(f"there is a label “{name}” already" if name else "a label needs a name")
    before, old = row_values(session, "label", label_id), row.name
    run_id = begin_run(session, at=at, actor="person")
    rename_label(session, row, name)
    row.colour = colour
    record_row(session, run_id, "label", label_id, before)
    if old != name:
        _rename_in_rules(session, run_id, {canonical_path(old): name}, ("label",), "label")
    finish_run(session, run_id, f"Label “{old}” changed")
    return True


def delete_label(session: Session, label_id: int, *, at: int) -> int | None:
    """Take a label off every message and delete it. The run, or None where there is no such."""
    row = session.get(LabelRow, label_id)
    if row is None:
        return None
    run_id, name = begin_run(session, at=at, actor="person"), row.name
    bearing = "SELECT message_id FROM message_label WHERE label_id = :label"
    choose_where(session, Statement(bearing, {"label": label_id}))
    take_label(session, run_id, label_id)
    before = row_values(session, "label", label_id)
    session.delete(row)
    record_row(session, run_id, "label", label_id, before)
    session.info.pop("labels", None)
    finish_run(session, run_id, f"Label “{name}” deleted")
    return run_id
