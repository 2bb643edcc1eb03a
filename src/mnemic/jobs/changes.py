"""Changes of many messages, gathered first and then made set by set, with their journal."""

from collections.abc import Iterable
from typing import Any

from sqlmodel import Session

from mnemic.core import Outcome
from mnemic.jobs.placing import destination, slot_values
from mnemic.store.folders import ensure_folder, folder_with_role
from mnemic.store.journal import Slot, choose_ids, put_label, record_copy, set_slot, take_label
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
    """What is to change, by value; nothing is changed before ``make``."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._slots: dict[tuple[Slot, Any], list[int]] = {}
        self._labels: dict[tuple[str, bool], list[int]] = {}
        self._copies: list[tuple[int, int]] = []  # message, folder
        self.moved = self.labelled = self.marked = 0

    def gather(self, message: StoredMessage, outcome: Outcome) -> bool:
        """Gather what an outcome changes about a message; whether it changes anything."""
        before = (self.moved, self.labelled, self.marked, len(self._copies))
        row = message.row
        folder_id = destination(self._session, outcome)
        if folder_id is not None and folder_id != row.folder_id:
            self._slots.setdefault(("folder_id", folder_id), []).append(message.id)
            self.moved += 1
        marked = False
        for column, value in slot_values(outcome).items():
            if getattr(row, column) != value:
                self._slots.setdefault((column, value), []).append(message.id)  # type: ignore[arg-type] # its keys are slots
                marked = True
        self.marked += marked
        self.labelled += self._gather_labels(message, outcome)
        for folder in (ensure_folder(self._session, path) for path in outcome.copies):
            if not has_copy(self._session, row.digest, folder):
                self._copies.append((message.id, folder))
        return before != (self.moved, self.labelled, self.marked, len(self._copies))

    def _gather_labels(self, message: StoredMessage, outcome: Outcome) -> bool:
        borne = {each.casefold() for each in message.state.labels}
        wanted = [(name, True) for name in outcome.labels if name.casefold() not in borne]
        wanted += [(name, False) for name in outcome.unlabels if name.casefold() in borne]
        for each in wanted:
            self._labels.setdefault(each, []).append(message.id)
        return bool(wanted)

    def make(self, run_id: int, *, at: int) -> None:
        """Make the changes and write them in the journal."""
        copy_all(self._session, run_id, self._copies, at=at)
        for (slot, value), ids in self._slots.items():
            choose_ids(self._session, ids)
            set_slot(self._session, run_id, slot, value, at=at)
        for (name, put), ids in self._labels.items():
            choose_ids(self._session, ids)
            label_id = ensure_label(self._session, name)
            (put_label if put else take_label)(self._session, run_id, label_id)
