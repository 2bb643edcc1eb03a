"""Undo: what a run changed is put back; what was changed since is left alone."""

import json
from dataclasses import dataclass
from typing import Any, cast, get_args

from sqlmodel import Session, SQLModel, col, or_, select

from mnemic.core import MnemicError
from mnemic.core.canonical import canonical_name
from mnemic.core.run_sayings import RunKind, kind_of_undoing, run_saying
from mnemic.store.engine.catch_up_tables import CatchUpRow
from mnemic.store.engine.sql import execute, fetch
from mnemic.store.engine.tables import RunRow
from mnemic.store.journal.changes import Slot
from mnemic.store.journal.rows import row_values
from mnemic.store.journal.runs import finish_run

__all__ = [
    "GoneForGoodError",
    "NameTakenError",
    "RunPart",
    "Undone",
    "UndoneAlreadyError",
    "last_run_to_undo",
    "undo_run",
]


class UndoneAlreadyError(MnemicError):
    """A run that was undone before."""


class GoneForGoodError(MnemicError):
    """A run that can't be undone: it destroyed what it names."""


class NameTakenError(MnemicError):
    """A folder or label can't have its name back: another one has it by now."""


@dataclass(frozen=True, slots=True)
class Undone:
    """What an undo came to: its own run, and how many changes were put back and left alone.

    Where nothing could be put back there is no run. ``again``: what had been undone was done again.
    """

    run_id: int | None
    saying: str
    again: bool
    restored: int
    left_alone: int


def last_run_to_undo(session: Session, since: int) -> RunRow | None:
    """The last thing the owner did or started since that time that is not undone yet, or None.

    A catch-up that was asked for is one, as long as it goes on, too.
    """
    asked_for = select(CatchUpRow.run_id).where(CatchUpRow.event == "hand")
    return session.exec(
        select(RunRow)
        .where(
            or_(RunRow.actor == "person", col(RunRow.id).in_(asked_for)),
            RunRow.at >= since,
            col(RunRow.lasting).is_(False),
            col(RunRow.undoes).is_(None),
            col(RunRow.undone_by).is_(None),
        )
        .order_by(col(RunRow.id).desc())
        .limit(1)
    ).first()


@dataclass(frozen=True, slots=True)
class RunPart:
    """A part of a run: what it did to one message, or what one rule did in it."""

    message_id: int | None = None
    rule_id: int | None = None

    @property
    def condition(self) -> str:
        """SQL that is true of the journal's entries ``j`` that belong to it."""
        sql = "" if self.message_id is None else f" AND j.entity_id = {self.message_id:d}"
        return sql if self.rule_id is None else f"{sql} AND j.rule_id = {self.rule_id:d}"


def undo_run(
    session: Session, run_id: int, *, at: int, part: RunPart | None = None
) -> Undone | None:
    """Undo a run, which may be an undo itself, or a part of it; None where there is no such run.

    Raises UndoneAlreadyError where it has been undone, GoneForGoodError where it destroyed mail,
    and NameTakenError where a name that it took away is in use again; nothing is changed then.
    """
    row = session.get(RunRow, run_id)
    if row is None:
        return None
    if row.actor == "housekeeping":
        raise GoneForGoodError("this mail is gone for good; its time to be got back is over")
    if row.undone_by is not None:
        raise UndoneAlreadyError("this has been undone already; nothing was changed")
    if part is None:
        _refuse_taken_names(session, run_id)
    kind = kind_of_undoing(cast(RunKind, row.kind), part=part is not None)
    undo_id = _begin_undoing(session, row, kind, at=at)
    undoing = _Undoing(session, run_id, undo_id, at, part)
    undoing.all()
    restored, left_alone = undoing.restored, undoing.total - undoing.restored
    if not restored:
        finish_run(session, undo_id, "")  # it is forgotten
        row.lasting = True  # the undo key goes on to what was done before it
        return Undone(None, f"Nothing to put back: {row.saying}", _again(kind), 0, left_alone)
    row.undone_by = undo_id if part is None else None
    if row.undoes is not None:
        original = session.get(RunRow, row.undoes)
        if original is not None:
            original.undone_by = None
    session.flush()
    finish_run(session, undo_id, row.saying)
    return Undone(undo_id, run_saying(kind, row.saying), _again(kind), restored, left_alone)


def _again(kind: RunKind) -> bool:
    return kind in ("again", "again_in_part")


def _begin_undoing(session: Session, row: RunRow, kind: RunKind, *, at: int) -> int:
    undoing = RunRow(at=at, actor="person", kind=kind, saying="", undoes=row.id)
    session.add(undoing)
    session.flush()
    return undoing.id or 0


class _Undoing:
    """Puts back what one run changed, under another run."""

    def __init__(
        self, session: Session, run_id: int, undo_id: int, at: int, part: RunPart | None
    ) -> None:
        self._session, self._at = session, at
        self._part = "" if part is None else part.condition
        self._key = {"run": run_id, "undo": undo_id}
        self._instead: dict[str, dict[int, int]] = {"folder": {}, "label": {}}
        self.restored = self.total = 0

    def all(self) -> None:
        """Folders and labels come back before what belongs in them, and go after it."""
        rows = self._rows_of_others()
        for entity, entity_id, before, after in rows:
            if before is not None:
                self._row(entity, entity_id, before, after)
        for slot in get_args(Slot):
            self._slot(slot)
        self._labels()
        for entity, entity_id, before, after in rows:
            if before is None:
                self._row(entity, entity_id, before, after)

    def _rows_of_others(self) -> list[Any]:
        """The run's changes of folders, labels and rules; none in a part of it."""
        if self._part:
            return []
        return fetch(
            self._session,
            "SELECT entity, entity_id, before, after FROM journal"
            " WHERE run_id = :run AND entity <> 'message' ORDER BY id DESC",
            run=self._key["run"],
        )

    def _count(self, condition: str) -> None:
        count = execute(
            self._session,
            f"SELECT count(*) FROM journal AS j WHERE run_id = :run AND {condition}{self._part}",
            run=self._key["run"],
        ).scalar_one()
        self.total += int(count)

    def _slot(self, slot: str) -> None:
        self._count(f"entity = 'message' AND slot = '{slot}'")
        before = self._now("folder") if slot == "folder_id" else "j.before"
        there = f" AND EXISTS (SELECT 1 FROM folder WHERE id = {before})"
        self.restored += execute(
            self._session,
            "INSERT INTO journal (run_id, entity, entity_id, slot, before, after)"
            f" SELECT :undo, 'message', m.id, '{slot}', j.after, {before} FROM journal AS j"
            f" JOIN message AS m ON m.id = j.entity_id WHERE j.run_id = :run AND j.slot = '{slot}'"
            f" AND j.entity = 'message' AND m.{slot} IS j.after{self._part}"
            + (there if slot == "folder_id" else ""),
            **self._key,
        ).rowcount
        placed = f", placed_at = {self._at:d}" if slot == "folder_id" else ""
        execute(
            self._session,
            f"UPDATE message SET {slot} = j.after{placed} FROM journal AS j"
            f" WHERE j.run_id = :undo AND j.slot = '{slot}' AND j.entity = 'message'"
            " AND j.entity_id = message.id",
            undo=self._key["undo"],
        )

    def _labels(self) -> None:
        self._count("entity = 'message' AND slot = 'label'")
        before = self._now("label")
        borne = (
            "SELECT 1 FROM message_label AS ml WHERE ml.message_id = j.entity_id"
            f" AND ml.label_id = coalesce(j.after, {before})"
        )
        self.restored += execute(
            self._session,
            "INSERT INTO journal (run_id, entity, entity_id, slot, before, after)"
            f" SELECT :undo, 'message', j.entity_id, 'label', j.after, {before} FROM journal AS j"
            " JOIN message AS m ON m.id = j.entity_id"
            f" JOIN label AS l ON l.id = coalesce(j.after, {before})"
            f" WHERE j.run_id = :run AND j.slot = 'label' AND j.entity = 'message'{self._part}"
            f" AND (j.after IS NOT NULL) = EXISTS ({borne})",
            **self._key,
        ).rowcount
        mine = "FROM journal WHERE run_id = :undo AND slot = 'label' AND entity = 'message'"
        execute(
            self._session,
            "INSERT OR IGNORE INTO message_label (message_id, label_id)"
            f" SELECT entity_id, after {mine} AND after IS NOT NULL",
            undo=self._key["undo"],
        )
        execute(
            self._session,
            "DELETE FROM message_label WHERE (message_id, label_id) IN"
            f" (SELECT entity_id, CAST(before AS INTEGER) {mine} AND before IS NOT NULL)",
            undo=self._key["undo"],
        )

    def _row(self, entity: str, entity_id: int, before: str | None, after: str | None) -> None:
        self.total += 1
        now = row_values(self._session, entity, entity_id)
        if now != (None if after is None else json.loads(after)):
            return
        if before is None and _in_use(self._session, entity, entity_id):
            return
        if before is None and entity == "rule":  # done again, it is the same rule
            before = json.dumps({**(now or {}), "deleted": True})
        if now is None and before is not None and entity in self._instead:
            values = self._among_others(json.loads(before))
            named_so = _named_so(self._session, entity, values)
            if named_so is not None:  # it was made anew meanwhile, and is there
                self._instead[entity][entity_id] = named_so
                self.total -= 1
                return
            before = json.dumps(values)
        _put_row(self._session, entity, entity_id, None if before is None else json.loads(before))
        self.restored += 1
        execute(
            self._session,
            "INSERT INTO journal (run_id, entity, entity_id, slot, before, after)"
            " VALUES (:undo, :entity, :id, 'row', :before, :after)",
            undo=self._key["undo"],
            entity=entity,
            id=entity_id,
            before=after,
            after=before,
        )

    def _among_others(self, values: dict[str, Any]) -> dict[str, Any]:
        """A folder's row below the one that stands now where its parent stood."""
        parent = values.get("parent_id")
        if parent not in self._instead["folder"]:
            return values
        return {**values, "parent_id": self._instead["folder"][parent]}

    def _now(self, entity: str) -> str:
        """SQL for the folder or label before a change, or for the one that has its name now."""
        instead = self._instead[entity]
        if not instead:
            return "j.before"
        whens = " ".join(f"WHEN {was:d} THEN {now:d}" for was, now in instead.items())
        return f"CASE CAST(j.before AS INTEGER) {whens} ELSE j.before END"


def _named_so(session: Session, entity: str, values: dict[str, Any]) -> int | None:
    """The folder or label that has the name, and the place, of one that is gone."""
    where = "canonical = :canonical"
    if entity == "folder":
        where += " AND mailbox_id = :mailbox AND coalesce(parent_id, 0) = :parent"
    row = execute(
        session,
        f"SELECT min(id) FROM {entity} WHERE {where}",
        canonical=canonical_name(values["name"]),
        mailbox=values.get("mailbox_id"),
        parent=values.get("parent_id") or 0,
    ).scalar_one()
    return None if row is None else int(row)


def _refuse_taken_names(session: Session, run_id: int) -> None:
    """Raise NameTakenError where a folder or label that was renamed or moved would meet another."""
    changed = fetch(
        session,
        "SELECT entity, entity_id, before, after FROM journal WHERE run_id = :run"
        " AND entity IN ('folder', 'label') AND before IS NOT NULL AND after IS NOT NULL",
        run=run_id,
    )
    for entity, entity_id, before, after in changed:
        values = json.loads(before)
        stands = row_values(session, entity, entity_id) == json.loads(after)
        if stands and _named_so(session, entity, values) not in (None, entity_id):
            name = values["name"]
            raise NameTakenError(
                f"there is another {entity} “{name}” now; rename it, then undo this"
            )


def _in_use(session: Session, entity: str, entity_id: int) -> bool:
    """Whether a folder or label that was made holds something by now."""
    uses = {
        "folder": "SELECT 1 FROM message WHERE folder_id = :id"
        " UNION SELECT 1 FROM folder WHERE parent_id = :id",
        "label": "SELECT 1 FROM message_label WHERE label_id = :id",
    }
    return entity in uses and execute(session, uses[entity], id=entity_id).first() is not None


def _put_row(session: Session, entity: str, entity_id: int, values: dict[str, Any] | None) -> None:
    table = SQLModel.metadata.tables[entity]
    connection = session.connection()
    session.expire_all()
    if values is None:
        connection.execute(table.delete().where(table.c.id == entity_id))
    elif row_values(session, entity, entity_id) is None:
        connection.execute(table.insert(), values)
    else:
        connection.execute(table.update().where(table.c.id == entity_id), values)
