"""Changes of many messages, gathered first and then made together, with their journal."""

from collections.abc import Iterable
from typing import TypeAlias

from sqlmodel import Session

from mnemic.core.canonical import canonical_name
from mnemic.jobs.shared.rule_effects import RuleEffects
from mnemic.store.journal.changes import MessageChange, change_labels, change_slot, record_copy
from mnemic.store.mail.folders import (
    ensure_folder,
    folder_at,
    folder_with_role,
    folders_with_role,
)
from mnemic.store.mail.labels import ensure_label
from mnemic.store.mail.message_views import StoredMessage
from mnemic.store.mail.messages import copy_message, has_copy

__all__ = ["Copying", "GatheredChanges", "copy_all"]

#: A message to copy, the folder to copy it to, and the rule that asks for it, if one does.
Copying: TypeAlias = tuple[int, int, int | None]


def copy_all(session: Session, run_id: int, copies: Iterable[Copying], *, at: int) -> int:
    """Copy messages into folders, under a run; how many were copied."""
    erased_id, count = folder_with_role(session, "erased"), 0
    for message_id, folder_id, rule_id in copies:
        copied = copy_message(session, message_id, folder_id=folder_id, at=at)
        record_copy(
            session, run_id, copied, folder_id=folder_id, erased_id=erased_id, rule_id=rule_id
        )
        count += 1
    return count


class GatheredChanges:
    """What is to change about messages, each with the rule whose doing it is.

    Nothing is changed before ``make``: what was gathered can be told without doing it.
    """

    def __init__(self, session: Session) -> None:
        self._session = session
        # Keyed by path and mailbox; the folder is made when the changes are.
        self._places: dict[tuple[str, int], list[MessageChange]] = {}
        self._slots: dict[str, list[MessageChange]] = {}
        self._labels: dict[tuple[str, bool], list[tuple[int, int | None]]] = {}
        self._copies: list[tuple[int, tuple[str, int], int | None]] = []
        self._folders: dict[tuple[str, int], int | None] = {}  # by place, where it is there
        self._inboxes = folders_with_role(session, "inbox")
        self.moved = self.labelled = self.marked = self.out_of_inbox = 0

    def gather(self, message: StoredMessage, effects: RuleEffects) -> bool:
        """Gather what rules change about a message; whether they change anything."""
        row, key = message.row, message.id
        moved = marked = False
        if effects.place is not None:
            path, owner = effects.place
            place = path, row.mailbox_id
            moved = self._folder_at(place) != row.folder_id
            if moved:
                self._places.setdefault(place, []).append((key, row.folder_id, None, owner))
                self.out_of_inbox += row.folder_id in self._inboxes
        for column, value, owner in effects.slots:
            before = getattr(row, column)
            if before != value:
                self._slots.setdefault(column, []).append((key, before, value, owner))
                marked = True
        labelled = bool(effects.labels) and self._gather_labels(message, effects)
        copied = bool(effects.copies) and self._gather_copies(message, effects)
        self.moved += moved
        self.marked += marked
        self.labelled += labelled
        return moved or marked or labelled or copied

    def _gather_labels(self, message: StoredMessage, effects: RuleEffects) -> bool:
        borne = set(map(canonical_name, message.state.labels))
        wanted = [
            label for label in effects.labels if (canonical_name(label[0]) in borne) != label[1]
        ]
        for name, put, owner in wanted:
            self._labels.setdefault((name, put), []).append((message.id, owner))
        return bool(wanted)

    def _gather_copies(self, message: StoredMessage, effects: RuleEffects) -> bool:
        wanted = []
        for path, owner in effects.copies:
            place = path, message.row.mailbox_id
            there = self._folder_at(place)
            if there is None or not has_copy(self._session, message.row.digest, there):
                wanted.append((message.id, place, owner))
        self._copies += wanted
        return bool(wanted)

    def _folder_at(self, place: tuple[str, int]) -> int | None:
        """The folder at a place, looked up once: while changes are gathered nothing is changed."""
        if place not in self._folders:
            self._folders[place] = folder_at(self._session, *place)
        return self._folders[place]

    def places(self) -> dict[tuple[str, int], int]:
        """How many messages go where, by path and mailbox."""
        return {place: len(changes) for place, changes in self._places.items()}

    def make(self, run_id: int, *, at: int) -> None:
        """Make the changes and write them in the journal."""
        session = self._session
        moves: list[MessageChange] = []
        for place, places in self._places.items():
            folder = ensure_folder(session, *place)
            moves += [(key, before, folder, owner) for key, before, _, owner in places]
        change_slot(session, run_id, "folder_id", moves, at=at)
        for column, slots in self._slots.items():
            change_slot(session, run_id, column, slots, at=at)  # type: ignore[arg-type] # a slot
        for (name, put), messages in self._labels.items():
            change_labels(session, run_id, ensure_label(session, name), messages, put=put)
        # Last, so that copies bear the labels and flags that rules put on, as on arrival.
        copies = ((key, ensure_folder(session, *place), rule) for key, place, rule in self._copies)
        copy_all(session, run_id, copies, at=at)
