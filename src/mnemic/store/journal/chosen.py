"""The chosen messages: what a change is made to, as ids in a temporary table."""

from collections.abc import Iterable

from sqlalchemy import text
from sqlmodel import Session

from mnemic.store.engine.sql import Statement, execute, fetch

__all__ = [
    "choose_ids",
    "choose_in_folders",
    "choose_labelled",
    "choose_where",
    "chosen_by_mailbox",
    "chosen_ids",
    "count_moving",
]


def _listed(ids: Iterable[int]) -> str:
    return ", ".join(str(int(key)) for key in ids)


def _empty(session: Session) -> None:
    execute(session, "CREATE TEMP TABLE IF NOT EXISTS chosen (id INTEGER PRIMARY KEY)")
    execute(session, "DELETE FROM chosen")


def choose_ids(session: Session, ids: Iterable[int]) -> int:
    """Let ``chosen`` be these messages; how many they are."""
    _empty(session)
    rows = [{"id": key} for key in ids]
    if rows:
        session.connection().execute(text("INSERT OR IGNORE INTO chosen VALUES (:id)"), rows)
    return int(execute(session, "SELECT count(*) FROM chosen").scalar_one())


def chosen_ids(session: Session) -> list[int]:
    """The ids of the chosen messages."""
    return [key for (key,) in fetch(session, "SELECT id FROM chosen")]


def chosen_by_mailbox(session: Session) -> dict[int, list[int]]:
    """The ids of the chosen messages, by their mailbox."""
    by_mailbox: dict[int, list[int]] = {}
    for mailbox_id, key in fetch(
        session, "SELECT m.mailbox_id, m.id FROM chosen JOIN message AS m ON m.id = chosen.id"
    ):
        by_mailbox.setdefault(mailbox_id, []).append(key)
    return by_mailbox


def choose_where(session: Session, ids: Statement, leave_out: Iterable[int] = ()) -> int:
    """Let ``chosen`` be the messages that a query gives, but for some; how many they are."""
    _empty(session)
    execute(session, f"INSERT OR IGNORE INTO chosen {ids.sql}", **ids.parameters)
    left_out = [{"id": key} for key in leave_out]
    if left_out:
        session.connection().execute(text("DELETE FROM chosen WHERE id = :id"), left_out)
    return int(execute(session, "SELECT count(*) FROM chosen").scalar_one())


def count_moving(
    session: Session, targets: Iterable[int], *, inboxes: Iterable[int], erased: int
) -> tuple[int, int]:
    """How many of the chosen messages would move into folders, and how many out of an inbox."""
    ((moving, leaving),) = fetch(
        session,
        f"SELECT count(*), coalesce(sum(m.folder_id IN ({_listed(inboxes)})), 0)"
        " FROM chosen JOIN message AS m ON m.id = chosen.id"
        f" WHERE m.folder_id <> :erased AND m.folder_id NOT IN ({_listed(targets)})",
        erased=erased,
    )
    return int(moving), int(leaving)


def choose_in_folders(session: Session, folders: Iterable[int]) -> int:
    """Choose all messages of some folders; how many."""
    in_them = f"SELECT id FROM message WHERE folder_id IN ({_listed(folders)})"
    return choose_where(session, Statement(in_them, {}))


def choose_labelled(session: Session, label_id: int) -> int:
    """Choose all messages that bear a label; how many."""
    bearing = "SELECT message_id FROM message_label WHERE label_id = :label"
    return choose_where(session, Statement(bearing, {"label": label_id}))
