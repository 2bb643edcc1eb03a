"""Which messages are meant: some, or all of a folder, of a label or of a search."""

from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core.rules import AnyTest
from mnemic.store.engine.sql import Statement, execute
from mnemic.store.journal.chosen import choose_ids, choose_where
from mnemic.store.mail.folders import folder_with_role
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.search.finding import ids_found

__all__ = ["Selection", "choose", "selected_ids"]


@dataclass(frozen=True, slots=True)
class Selection:
    """Some messages, or all of a folder (or of several), a label or a search; or else all."""

    ids: tuple[int, ...] | None = None
    folder_id: int | None = None
    folders: tuple[int, ...] = ()
    label_id: int | None = None
    search: AnyTest | None = None
    leave_out: tuple[int, ...] = ()


def _statement(session: Session, selection: Selection) -> Statement:
    if selection.search is not None:
        return ids_found(session, selection.search, read_preferences(session).zone)
    parameters = {"erased": folder_with_role(session, "erased")}
    sql = "SELECT m.id FROM message AS m WHERE m.folder_id <> :erased"
    if selection.folder_id is not None:
        parameters["folder"] = selection.folder_id
        sql += " AND m.folder_id = :folder"
    if selection.folders:
        sql += (
            f" AND m.folder_id IN ({', '.join(str(int(folder)) for folder in selection.folders)})"
        )
    if selection.label_id is not None:
        parameters["label"] = selection.label_id
        sql += " AND m.id IN (SELECT message_id FROM message_label WHERE label_id = :label)"
    return Statement(sql, parameters)


def choose(session: Session, selection: Selection) -> int:
    """Let the journal's ``chosen`` be the selection; how many messages it holds."""
    if selection.ids is not None:
        return choose_ids(session, selection.ids)
    return choose_where(session, _statement(session, selection), selection.leave_out)


def selected_ids(session: Session, selection: Selection) -> list[int]:
    """The ids of the selection, oldest first."""
    if selection.ids is not None:
        return list(selection.ids)
    statement = _statement(session, selection)
    rows = execute(
        session,
        f"SELECT id FROM message WHERE id IN ({statement.sql}) ORDER BY received_at, id",
        **statement.parameters,
    )
    left_out = set(selection.leave_out)
    return [message_id for (message_id,) in rows if message_id not in left_out]
