"""Changes of many messages, gathered first and then made set by set, with their journal."""

from collections.abc import Iterable, Mapping
from typing import Any

from sqlmodel import Session

from mnemic.core import Outcome
from mnemic.core.actions import CopyAction, LabelAction, UnlabelAction
from mnemic.jobs.placing import place_of, slot_values
from mnemic.store.folders import ensure_folder, folder_paths, folder_with_role
from mnemic.store.journal import choose_ids, put_label, record_copy, set_slot, take_label
from mnemic.store.labels import ensure_label
from mnemic.store.mailbox import copy_message, has_copy
from mnemic.store.message_views import StoredMessage

__all__ = ["Changes", "copy_all"]


def copy_all(session: Session, run_id: int, copies: Iterable[tuple[int, int]], *, at: int) -> int:
    """Copy messages into folders, under a run; how many were copied."""
    erased_id, count = folder_with_role(session, "erased"), 0
    for message_id, folder_id in copies:
        copied = copy_message(session, message_id, folder_id=folder_id, at=at)
        record_copy(session, run_id, copied, folder_id=folder_id, erased_id=erased_id)
        count += 1
    return count


class Changes:
    """What is to change, by value and by the rule whose doing it is.

    Nothing is changed before ``make``: what was gathered can be told without doing it.
    ``rule_ids`` are the rules' ids by their places in the line that was run.
    """

    def __init__(self, session: Session, rule_ids: Mapping[int, int]) -> None:
        self._session, self._rule_ids = session, rule_ids
        self._folders = {path.casefold(): key for key, path in folder_paths(session).items()}
        self._places: dict[tuple[str, int | None], list[int]] = {}  # by path
        self._slots: dict[tuple[str, Any, int | None], list[int]] = {}
        self._labels: dict[tuple[str, bool, int | None], list[int]] = {}
        self._copies: list[tuple[int, str]] = []  # message, path
        self.moved = self.labelled = self.marked = 0

    def gather(self, message: StoredMessage, outcome: Outcome) -> bool:
        """Gather what an outcome changes about a message; whether it changes anything."""
        before = (self.moved, self.labelled, self.marked, len(self._copies))
        owners = _owners(outcome, self._rule_ids)
        path = place_of(self._session, outcome)
        if path is not None and self._folders.get(path.casefold()) != message.row.folder_id:
            self._places.setdefault((path, owners.get("place")), []).append(message.id)
            self.moved += 1
        marked = False
        for column, value in slot_values(outcome).items():
            if getattr(message.row, column) != value:
                key = (column, value, owners.get(column))
                self._slots.setdefault(key, []).append(message.id)
                marked = True
        self.marked += marked
        self.labelled += self._gather_labels(message, outcome, owners)
        for path in outcome.copies:
            there = self._folders.get(path.casefold())
            if there is None or not has_copy(self._session, message.row.digest, there):
                self._copies.append((message.id, path))
        return before != (self.moved, self.labelled, self.marked, len(self._copies))

    def _gather_labels(
        self, message: StoredMessage, outcome: Outcome, owners: Mapping[str, int]
    ) -> bool:
        borne = {each.casefold() for each in message.state.labels}
        wanted = [(name, True) for name in outcome.labels if name.casefold() not in borne]
        wanted += [(name, False) for name in outcome.unlabels if name.casefold() in borne]
        for name, put in wanted:
            key = (name, put, owners.get(f"label {name.casefold()}"))
            self._labels.setdefault(key, []).append(message.id)
        return bool(wanted)

    def places(self) -> dict[str, int]:
        """How many messages go where, by path."""
        found: dict[str, int] = {}
        for (path, _), ids in self._places.items():
            found[path] = found.get(path, 0) + len(ids)
        return found

    def make(self, run_id: int, *, at: int) -> None:
        """Make the changes and write them in the journal."""
        session = self._session
        copies = ((key, ensure_folder(session, path)) for key, path in self._copies)
        copy_all(session, run_id, copies, at=at)
        for (path, rule_id), ids in self._places.items():
            choose_ids(session, ids)
            folder = ensure_folder(session, path)
            set_slot(session, run_id, "folder_id", folder, at=at, rule_id=rule_id)
        for (column, value, rule_id), ids in self._slots.items():
            choose_ids(session, ids)
            set_slot(session, run_id, column, value, at=at, rule_id=rule_id)  # type: ignore[arg-type] # a slot
        for (name, put, rule_id), ids in self._labels.items():
            choose_ids(session, ids)
            label_id = ensure_label(session, name)
            (put_label if put else take_label)(session, run_id, label_id, rule_id=rule_id)


def _owners(outcome: Outcome, rule_ids: Mapping[int, int]) -> dict[str, int]:
    """Whose doing what an outcome sets is: the rule that set a slot or a label first."""
    found: dict[str, int] = {}
    for rule in outcome.takers:
        for each in rule.actions:
            action = each.action
            if each.overruled_by is not None or isinstance(action, CopyAction):
                continue
            if isinstance(action, LabelAction | UnlabelAction):
                found.setdefault(f"label {action.label.casefold()}", rule_ids[rule.position])
            elif action.slot is not None:
                found.setdefault(action.slot, rule_ids[rule.position])
    return found
