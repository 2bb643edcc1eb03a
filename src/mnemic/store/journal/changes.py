"""The journal: every change with before and after, so that it can be undone.

A *run* is one thing that was done, to one message or to thousands; it is undone whole. Changes of
messages are made set by set: over the ids in the temporary table ``chosen``.
"""

import json
from collections.abc import Iterable, Sequence
from typing import Any, Literal, NamedTuple, TypeAlias

from sqlalchemy import text
from sqlmodel import Session, SQLModel

from mnemic.store.engine.sql import Statement, execute, fetch
from mnemic.store.engine.tables import RunRow, driver

__all__ = [
    "Actor",
    "MessageChange",
    "Slot",
    "SlotChange",
    "as_it_came",
    "begin_run",
    "change_labels",
    "change_slot",
    "choose_ids",
    "choose_where",
    "chosen_ids",
    "count_in_run",
    "finish_run",
    "join_run",
    "put_label",
    "record_changes",
    "record_copy",
    "record_row",
    "restore_folders",
    "row_values",
    "set_slot",
    "take_label",
]

Actor: TypeAlias = Literal["person", "rules", "housekeeping"]

#: The columns of a message that are changed and undone.
Slot: TypeAlias = Literal["folder_id", "seen", "flagged", "colour", "priority"]

_CHANGED = "m.{slot} IS NOT :value"


def as_it_came(session: Session, message_id: int, slot: Slot) -> Any:
    """The value of a slot with which a message came in, before anything was changed about it."""
    (value,) = fetch(
        session,
        "SELECT coalesce((SELECT before FROM journal WHERE entity = 'message' AND entity_id = :id"
        f" AND slot = '{slot}' ORDER BY id LIMIT 1), (SELECT {slot} FROM message WHERE id = :id))",
        id=message_id,
    )[0]
    return value


def begin_run(
    session: Session,
    *,
    at: int,
    actor: Actor,
    saying: str = "",
    rule_id: int | None = None,
    lasting: bool = False,
) -> int:
    """Begin a run; its id. ``at`` is in seconds since 1970-01-01 UTC."""
    row = RunRow(at=at, actor=actor, saying=saying, rule_id=rule_id, lasting=lasting)
    session.add(row)
    session.flush()
    return row.id or 0


def finish_run(session: Session, run_id: int, saying: str) -> int:
    """Say what the run did; how many messages it changed. One that changed nothing is forgotten."""
    ((messages, changes),) = fetch(
        session,
        "SELECT count(DISTINCT CASE WHEN entity = 'message' THEN entity_id END), count(*)"
        " FROM journal WHERE run_id = :run",
        run=run_id,
    )
    if changes:
        said = {"run": run_id, "saying": saying, "messages": messages}
        execute(
            session, "UPDATE run SET saying = :saying, messages = :messages WHERE id = :run", **said
        )
    else:
        execute(session, "DELETE FROM run WHERE id = :run", run=run_id)
    return int(messages)


def _empty(session: Session) -> None:
    execute(session, "CREATE TEMP TABLE IF NOT EXISTS chosen (id INTEGER PRIMARY KEY)")
    execute(session, "DELETE FROM chosen")


def choose_ids(session: Session, ids: Iterable[int]) -> int:
    """Let ``chosen`` be these messages; how many they are."""
    _empty(session)
    rows = [{"id": each} for each in ids]
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


def set_slot(
    session: Session,
    run_id: int,
    slot: Slot,
    value: Any,
    *,
    at: int,
    rule_id: int | None = None,
) -> int:
    """Give the chosen messages a value; how many did not have it before.

    ``rule_id`` is the rule whose doing it is, if one's.
    """
    changed = _CHANGED.format(slot=slot)
    execute(
        session,
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after, rule_id)"
        f" SELECT :run, 'message', m.id, '{slot}', m.{slot}, :value, :rule"
        f" FROM chosen JOIN message AS m ON m.id = chosen.id WHERE {changed}",
        run=run_id,
        value=value,
        rule=rule_id,
    )
    placed = ", placed_at = :at" if slot == "folder_id" else ""
    done = execute(
        session,
        f"UPDATE message AS m SET {slot} = :value{placed}"
        f" WHERE m.id IN (SELECT id FROM chosen) AND {changed}",
        value=value,
        **({"at": at} if placed else {}),
    )
    return done.rowcount


def restore_folders(session: Session, run_id: int, *, at: int) -> int:
    """Put each chosen message back to where it was before it came to its folder; how many moved.

    Where the journal does not tell, or that folder is gone, it goes to the inbox.
    """
    before = (
        "SELECT j.before FROM journal AS j JOIN folder AS f ON f.id = j.before"
        " WHERE j.entity = 'message' AND j.entity_id = m.id AND j.slot = 'folder_id'"
        " AND j.after = m.folder_id AND f.role IS NOT 'erased' ORDER BY j.id DESC LIMIT 1"
    )
    folders = fetch(
        session,
        f"SELECT coalesce(({before}), (SELECT id FROM folder WHERE role = 'inbox')), m.id"
        " FROM chosen JOIN message AS m ON m.id = chosen.id",
    )
    chosen, moved = chosen_ids(session), 0
    for folder_id in sorted({int(folder) for folder, _ in folders}):
        choose_ids(session, [key for folder, key in folders if int(folder) == folder_id])
        moved += set_slot(session, run_id, "folder_id", folder_id, at=at)
    choose_ids(session, chosen)
    return moved


class SlotChange(NamedTuple):
    """A change of one message that was made just now, and the rule whose doing it was, if one's.

    ``slot`` is a column of the message, or "label" with a label's id (None: none).
    """

    slot: str
    before: Any
    after: Any
    rule_id: int | None = None


def record_changes(
    session: Session, run_id: int, message_id: int, changes: Iterable[SlotChange]
) -> None:
    """Write down how a message was changed; a statement for all of it, since mail arrives often."""
    driver(session).executemany(
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after, rule_id)"
        " VALUES (?, 'message', ?, ?, ?, ?, ?)",
        [(run_id, message_id, *each) for each in changes],
    ).close()


#: A message's id, its value before and after, and the rule whose doing it is, if one's.
MessageChange: TypeAlias = tuple[int, Any, Any, int | None]


def change_slot(
    session: Session, run_id: int, slot: Slot, changes: Sequence[MessageChange], *, at: int
) -> None:
    """Give messages values that are seen to differ from what they have, and write it down."""
    placed = f", placed_at = {at:d}" if slot == "folder_id" else ""
    connection = driver(session)
    connection.executemany(
        f"UPDATE message SET {slot} = ?{placed} WHERE id = ?",
        [(after, key) for key, _, after, _ in changes],
    ).close()
    connection.executemany(
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after, rule_id)"
        f" VALUES ({run_id:d}, 'message', ?, '{slot}', ?, ?, ?)",
        changes,
    ).close()


def change_labels(
    session: Session,
    run_id: int,
    label_id: int,
    messages: Sequence[tuple[int, int | None]],
    *,
    put: bool,
) -> None:
    """Put a label on messages that are seen not to bear it, or take it off those that do.

    With each message the rule whose doing it is.
    """
    connection, keys = driver(session), [(key,) for key, _ in messages]
    if put:
        insert = f"INSERT INTO message_label (message_id, label_id) VALUES (?, {label_id:d})"
        connection.executemany(insert, keys).close()
    else:
        delete = f"DELETE FROM message_label WHERE message_id = ? AND label_id = {label_id:d}"
        connection.executemany(delete, keys).close()
    before, after = ("NULL", label_id) if put else (label_id, "NULL")
    connection.executemany(
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after, rule_id)"
        f" VALUES ({run_id:d}, 'message', ?, 'label', {before}, {after}, ?)",
        messages,
    ).close()


def join_run(
    session: Session, saying: str, *, at: int, since: int, until: int, actor: Actor = "rules"
) -> int:
    """The run with this saying that was begun within a time and not undone; begun where missing.

    What comes drop by drop, as mail does, stands in the history as one run a day.
    """
    found = execute(
        session,
        "SELECT id FROM run WHERE at >= :since AND at < :until AND saying = :saying"
        " AND actor = :actor AND kind = 'done' AND undone_by IS NULL ORDER BY id DESC LIMIT 1",
        since=since,
        until=until,
        saying=saying,
        actor=actor,
    ).scalar()
    return begin_run(session, at=at, actor=actor, saying=saying) if found is None else int(found)


def count_in_run(session: Session, run_id: int, messages: int) -> None:
    """Note that a run has changed so many messages more."""
    execute(
        session,
        "UPDATE run SET messages = messages + :more WHERE id = :run",
        more=messages,
        run=run_id,
    )


def put_label(session: Session, run_id: int, label_id: int, *, rule_id: int | None = None) -> int:
    """Put a label on the chosen messages; how many did not bear it before."""
    bearing = "SELECT message_id FROM message_label WHERE label_id = :label"
    key = {"run": run_id, "label": label_id}
    execute(
        session,
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after, rule_id)"
        " SELECT :run, 'message', m.id, 'label', NULL, :label, :rule FROM chosen"
        f" JOIN message AS m ON m.id = chosen.id WHERE m.id NOT IN ({bearing})",
        rule=rule_id,
        **key,
    )
    return execute(
        session,
        "INSERT INTO message_label (message_id, label_id) SELECT m.id, :label FROM chosen"
        f" JOIN message AS m ON m.id = chosen.id WHERE m.id NOT IN ({bearing})",
        label=label_id,
    ).rowcount


def take_label(session: Session, run_id: int, label_id: int, *, rule_id: int | None = None) -> int:
    """Take a label off the chosen messages; how many bore it before."""
    bearing = "SELECT message_id FROM message_label WHERE label_id = :label"
    execute(
        session,
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after, rule_id)"
        " SELECT :run, 'message', id, 'label', :label, NULL, :rule FROM chosen"
        f" WHERE id IN ({bearing})",
        run=run_id,
        label=label_id,
        rule=rule_id,
    )
    return execute(
        session,
        "DELETE FROM message_label WHERE label_id = :label"
        " AND message_id IN (SELECT id FROM chosen)",
        label=label_id,
    ).rowcount


def record_copy(
    session: Session,
    run_id: int,
    copied: int,
    *,
    folder_id: int,
    erased_id: int,
    rule_id: int | None = None,
) -> None:
    """Write down that a message is a copy made just now: undone, it goes to the erased ones."""
    change = SlotChange("folder_id", erased_id, folder_id, rule_id)
    record_changes(session, run_id, copied, [change])


def row_values(session: Session, entity: str, entity_id: int) -> dict[str, Any] | None:
    """A row of another table as the journal keeps it, or None where it does not exist."""
    table = SQLModel.metadata.tables[entity]
    row = session.connection().execute(table.select().where(table.c.id == entity_id)).first()
    return None if row is None else dict(row._mapping)


def record_row(
    session: Session, run_id: int, entity: str, entity_id: int, before: dict[str, Any] | None
) -> None:
    """Write down that a row of another table was made, changed or deleted just now."""
    session.flush()
    after = row_values(session, entity, entity_id)
    if before == after:
        return
    execute(
        session,
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after)"
        " VALUES (:run, :entity, :id, 'row', :before, :after)",
        run=run_id,
        entity=entity,
        id=entity_id,
        before=None if before is None else json.dumps(before),
        after=None if after is None else json.dumps(after),
    )
