"""What was done elsewhere, done here, too: a run a cause, that can be undone as any other."""

from collections.abc import Sequence
from typing import Any

from sqlmodel import Session

from mnemic.core.mirror import Marks
from mnemic.store.journal.changes import MessageChange, change_labels, change_slot
from mnemic.store.journal.runs import begin_run, finish_run
from mnemic.store.mail.folders import folder_paths
from mnemic.store.mail.labels import label_name

__all__ = ["ChangesElsewhere"]

_MARKED = {
    ("seen", True): "Marked as read elsewhere",
    ("seen", False): "Marked as unread elsewhere",
    ("flagged", True): "Flagged elsewhere",
    ("flagged", False): "Unflagged elsewhere",
}


class ChangesElsewhere:
    """Gathers what is to change here, then makes it; ``messages`` are those that change."""

    def __init__(self, erased: int) -> None:
        self._erased = erased
        self._slots: dict[tuple[str, Any], list[MessageChange]] = {}
        self._labels: dict[tuple[int, bool], list[tuple[int, int | None]]] = {}
        self.messages: set[int] = set()

    def mark(self, message_id: int, slot: str, before: Any, after: Any) -> None:
        """A slot of a message is to change."""
        self._slots.setdefault((slot, after), []).append((message_id, before, after, None))
        self.messages.add(message_id)

    def label(self, message_id: int, label_id: int, *, put: bool) -> None:
        """A label is to be put on a message, or taken off."""
        self._labels.setdefault((label_id, put), []).append((message_id, None))
        self.messages.add(message_id)

    def flags(self, message_id: int, here: Marks, agreed: Marks, labels: dict[str, int]) -> None:
        """Flags and labels of a message are to be as agreed; ``labels`` are ids by keyword."""
        for slot in ("seen", "flagged"):
            before, after = getattr(here, slot), getattr(agreed, slot)
            if before != after:
                self.mark(message_id, slot, before, after)
        for keyword in here.keywords ^ agreed.keywords:
            self.label(message_id, labels[keyword], put=keyword in agreed.keywords)

    def make(self, session: Session, *, at: int) -> None:
        """Make the changes."""
        paths = folder_paths(session)
        for (slot, after), changes in self._slots.items():
            if slot == "folder_id":
                gone = after == self._erased
                saying = "Gone elsewhere" if gone else f"Moved elsewhere to “{paths[after]}”"
            else:
                saying = _MARKED[slot, bool(after)]
            self._run(session, saying, slot, changes, at)
        for (label_id, put), messages in self._labels.items():
            name = label_name(session, label_id)
            verb = "Labelled" if put else "No longer labelled"
            run_id = begin_run(session, at=at, actor="elsewhere")
            change_labels(session, run_id, label_id, messages, put=put)
            finish_run(session, run_id, f"{verb} “{name}” elsewhere")

    @staticmethod
    def _run(
        session: Session, saying: str, slot: Any, changes: Sequence[MessageChange], at: int
    ) -> None:
        run_id = begin_run(session, at=at, actor="elsewhere")
        change_slot(session, run_id, slot, changes, at=at)
        finish_run(session, run_id, saying)
