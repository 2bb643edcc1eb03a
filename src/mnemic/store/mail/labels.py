"""Labels, each with a colour."""

import json
from collections.abc import Iterable
from dataclasses import dataclass

from sqlmodel import Session, col, select

from mnemic.core import MnemicError
from mnemic.core.canonical import canonical_name
from mnemic.store.engine.driver import driver
from mnemic.store.engine.reader_cache import ReadingSession
from mnemic.store.engine.session_memory import forget, memory_of
from mnemic.store.engine.tables import LabelRow, MessageLabelRow
from mnemic.store.mail.label_bearers import counts_by_label
from mnemic.store.mail.new_ids import new_id

__all__ = [
    "COLOURS",
    "Label",
    "LabelError",
    "ensure_label",
    "label_called",
    "label_ids_of",
    "label_name",
    "label_names",
    "labels_of",
    "list_labels",
    "messages_with_label",
    "put_labels",
    "remove_label",
    "set_label",
    "take_labels",
]

#: Mnemic's colours, in the order in which new labels are given them.
COLOURS = ("harbour", "moss", "clay", "plum", "straw", "lagoon", "rose", "slate")


class LabelError(MnemicError):
    """A label that can't be made or named so."""


@dataclass(frozen=True, slots=True)
class Label:
    """A label with how many messages bear it, and how many of them are unread."""

    id: int
    name: str
    colour: str
    total: int
    unread: int


class _LabelIds(dict[str, int]):
    """The ids of labels, by canonical name."""


def ensure_label(session: Session, name: str) -> int:
    """The id of the label, which is made, with the next free colour, where it is missing.

    Case does not tell labels apart. What was found is remembered for the session's short life.
    """
    known = memory_of(session, _LabelIds)
    key = canonical_name(name)
    if key not in known:
        label_id = label_called(session, name)
        known[key] = _make(session, name) if label_id is None else label_id
    return known[key]


def _make(session: Session, name: str) -> int:
    used = list(session.exec(select(LabelRow.colour)))
    colour = min(COLOURS, key=used.count)
    key, canonical = new_id(session, "label"), canonical_name(name)
    row = LabelRow(id=key, name=name, canonical=canonical, colour=colour)
    session.add(row)
    session.flush()
    return row.id or 0


def label_called(session: Session, name: str) -> int | None:
    """The id of the label of that name, in whatever case, or None."""
    key = canonical_name(name)
    if isinstance(session, ReadingSession):  # it sees one state, and may ask a thousand times
        return _ids_by_name(session).get(key)
    session.flush()
    rows = driver(session).execute("SELECT min(id) FROM label WHERE canonical = ?", (key,))
    ((label_id,),) = rows.fetchall()
    return None if label_id is None else int(label_id)


class _SeenIds(dict[str, int]):
    """The ids of all labels, by canonical name, as a reading session sees them."""


def _ids_by_name(session: ReadingSession) -> _SeenIds:
    seen = memory_of(session, _SeenIds)
    if not seen:
        seen.update(
            driver(session).execute("SELECT canonical, min(id) FROM label GROUP BY canonical")
        )
    return seen


def label_name(session: Session, label_id: int) -> str | None:
    """The name of a label; None where there is none."""
    row = session.get(LabelRow, label_id)
    return None if row is None else row.name


def label_names(session: Session) -> dict[int, str]:
    """The name of every label by its id, in the order of names."""
    session.flush()
    names = driver(session).execute("SELECT id, name FROM label").fetchall()
    return dict(sorted(names, key=lambda name: canonical_name(name[1])))


def set_label(session: Session, label_id: int, *, name: str, colour: str) -> None:
    """Give a label a name and a colour."""
    row = session.get_one(LabelRow, label_id)
    row.name, row.canonical, row.colour = name, canonical_name(name), colour
    session.flush()
    forget(session, _LabelIds)


def remove_label(session: Session, label_id: int) -> None:
    """Delete a label that no message bears any more."""
    session.delete(session.get_one(LabelRow, label_id))
    forget(session, _LabelIds)


#: Not through SQLAlchemy: most messages that come in bear none, and to build it costs as much.
_PUT = "INSERT INTO message_label (message_id, label_id) VALUES (?, ?) ON CONFLICT DO NOTHING"


def put_labels(session: Session, message_id: int, label_ids: Iterable[int]) -> bool:
    """Put labels on a message; whether one of them was new to it."""
    added = 0
    for label_id in label_ids:
        session.flush()
        done = driver(session).execute(_PUT, (message_id, label_id))
        added += done.rowcount
        done.close()
    return added > 0


def take_labels(session: Session, message_id: int, label_ids: Iterable[int]) -> None:
    """Take labels off a message."""
    for label_id in label_ids:
        row = session.get(MessageLabelRow, (message_id, label_id), populate_existing=True)
        if row is not None:
            session.delete(row)
    session.flush()


def messages_with_label(session: Session, name: str) -> frozenset[int]:
    """The ids of the messages that bear the label; none where there is no such label."""
    ids = [label_called(session, name)]
    bearing = select(MessageLabelRow.message_id).where(col(MessageLabelRow.label_id).in_(ids))
    return frozenset(session.exec(bearing))


def list_labels(session: Session) -> list[Label]:
    """Every label with its counts, by name; where names alone are wanted, ``label_names``."""
    totals, unread = counts_by_label(session)
    labels = []
    for row in session.exec(select(LabelRow)):
        key = row.id or 0
        labels.append(Label(key, row.name, row.colour, totals.get(key, 0), unread.get(key, 0)))
    return sorted(labels, key=lambda label: canonical_name(label.name))


def label_ids_of(session: Session, message_ids: Iterable[int]) -> dict[int, list[int]]:
    """The ids of the labels of each of these messages; a list for every one."""
    labels: dict[int, list[int]] = {message_id: [] for message_id in message_ids}
    rows = driver(session).execute(
        "SELECT message_id, label_id FROM message_label"
        " WHERE message_id IN (SELECT value FROM json_each(?))",
        (json.dumps(list(labels)),),
    )
    for message_id, label_id in rows:
        labels[message_id].append(label_id)
    return labels


def labels_of(session: Session, message_ids: list[int]) -> dict[int, list[str]]:
    """The names of the labels of each message, sorted."""
    listed = ", ".join(str(int(key)) for key in message_ids)
    rows = driver(session).execute(
        "SELECT ml.message_id, l.name FROM message_label AS ml"
        " JOIN label AS l ON l.id = ml.label_id"
        f" WHERE ml.message_id IN ({listed}) ORDER BY l.name"
    )
    names: dict[int, list[str]] = {}
    for message_id, name in rows:
        names.setdefault(message_id, []).append(name)
    return names
