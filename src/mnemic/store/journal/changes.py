"""Changes of messages, each written down with before and after, so that it can be undone.

They are made set by set: over the ids in the temporary table ``chosen``, or of many messages, each
with its own value before.
"""

from collections.abc import Iterable, Sequence
from typing import Any, Literal, NamedTuple, TypeAlias

from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.sql import execute, fetch
from mnemic.store.journal.chosen import choose_ids, chosen_ids

__all__ = [
    "MessageChange",
    "Slot",
    "SlotChange",
    "as_it_came",
    "change_labels",
    "change_slot",
    "put_label",
    "record_changes",
    "record_copy",
    "restore_folders",
    "set_slot",
    "take_label",
]

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
        f"SELECT coalesce(({before}), (SELECT id FROM folder WHERE role = 'inbox'"
        " AND mailbox_id = m.mailbox_id)), m.id"
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
        [(run_id, message_id, *change) for change in changes],
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
