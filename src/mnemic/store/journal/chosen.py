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
    "chosen_ids",
    "count_moving",
]


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


def choose_where(session: Session, ids: Statement, leave_out: Iterable[int] = ()) -> int:
    """Let ``chosen`` be the messages that a query gives, but for some; how many they are."""
    _empty(session)
    execute(session, f"INSERT OR IGNORE INTO chosen {ids.sql}", **ids.parameters)
    left_out = [{"id": each} for each in leave_out]
    if left_out:
        session.connection().execute(text("DELETE FROM chosen WHERE id = :id"), left_out)
    return int(execute(session, "SELECT count(*) FROM chosen").scalar_one())


def count_moving(
    session: Session, target: int | None, *, inbox: int, erased: int
) -> tuple[int, int]:
    """How many of the chosen messages would move into a folder, and how many out of the inbox."""
    ((moving, leaving),) = fetch(
        session,
        "SELECT count(*), coalesce(sum(m.folder_id = :inbox), 0) FROM chosen JOIN message AS m"
        " ON m.id = chosen.id WHERE m.folder_id <> :erased AND m.folder_id IS NOT :target",
        inbox=inbox,
        erased=erased,
        target=target,
    )
    return int(moving), int(leaving)


def choose_in_folders(session: Session, folders: Iterable[int]) -> int:
    """Choose all messages of some folders; how many."""
    listed = ", ".join(str(int(key)) for key in folders)
    return choose_where(
        session, Statement(f"SELECT id FROM message WHERE folder_id IN ({listed})", {})
    )


def choose_labelled(session: Session, label_id: int) -> int:
    """Choose all messages that bear a label; how many."""
    bearing = "SELECT message_id FROM message_label WHERE label_id = :label"
    return choose_where(session, Statement(bearing, {"label": label_id}))
