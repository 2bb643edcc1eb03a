"""Whose doing it is that a message is as it is, looking through what was undone.

What is undone has its earlier cause back: the change before the one that was undone, or none, where
the message is as it came.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from sqlmodel import Session

from mnemic.store.engine.sql import fetch
from mnemic.store.journal.changes import Slot
from mnemic.store.journal.runs import Actor

__all__ = ["Cause", "causes_of"]


@dataclass(frozen=True, slots=True)
class Cause:
    """The change that made a slot what it is. ``at`` is in seconds since 1970-01-01 UTC.

    ``slot`` is a column of the message, or "label" (``after`` is a label's id, None: taken off).
    ``before`` and ``after`` are as the journal keeps them.
    """

    entry_id: int
    slot: Slot | Literal["label"]
    before: str | None
    after: str | None
    actor: Actor
    rule_id: int | None
    at: int
    run_id: int

    @property
    def thing(self) -> tuple[str, str | None]:
        """What it is about: a column, or one label."""
        return self.slot, (self.after or self.before) if self.slot == "label" else None


class _Looking:
    """Follows the journal of one message, change by change."""

    def __init__(self) -> None:
        self.now: dict[tuple[str, str | None], Cause | None] = {}
        # The cause that stood before the run's last change of a thing, by run and thing.
        self._before: dict[tuple[int, tuple[str, str | None]], Cause | None] = {}

    def add(self, change: Cause, undoes: int | None) -> None:
        thing = change.thing
        self._before[change.run_id, thing] = self.now.get(thing)
        undone = (undoes or 0, thing)
        self.now[thing] = self._before.get(undone, change)


def causes_of(session: Session, message_ids: Iterable[int]) -> dict[int, list[Cause]]:
    """The changes that made slots and labels what they are, by message, the oldest first.

    What is as it came has none.
    """
    listed = ", ".join(str(int(key)) for key in message_ids)
    rows = fetch(
        session,
        "SELECT j.entity_id, r.undoes, j.id, j.slot, j.before, j.after, r.actor,"
        " j.rule_id, r.at, j.run_id FROM journal AS j JOIN run AS r ON r.id = j.run_id"
        f" WHERE j.entity = 'message' AND j.entity_id IN ({listed}) ORDER BY j.id",
    )
    looking: dict[int, _Looking] = {}
    for message_id, undoes, *change in rows:
        looking.setdefault(message_id, _Looking()).add(Cause(*change), undoes)
    return {
        message_id: sorted((e for e in look.now.values() if e), key=lambda e: e.entry_id)
        for message_id, look in looking.items()
    }
