"""What people did by hand and what still stands of it, over the whole journal."""

from collections.abc import Iterator
from typing import NamedTuple

from sqlmodel import Session

from mnemic.store.engine.sql import fetch
from mnemic.store.journal.causes import Cause, causes_of

__all__ = ["StandingAct", "standing_acts"]

#: Messages whose changes are looked through at a time.
_AT_ONCE = 2_000

#: The runs of people: no undoing, and not the deletion of a folder or label, which moves what is in
#: it.
_RUNS = (
    "SELECT id, messages, lasting FROM run WHERE actor = 'person' AND undoes IS NULL"
    " AND NOT EXISTS (SELECT 1 FROM journal AS j WHERE j.run_id = run.id"
    " AND j.entity IN ('folder', 'label') AND j.after IS NULL)"
)


class StandingAct(NamedTuple):
    """A change of a message that a person made and that nothing has changed since.

    ``selected`` is how many messages it was done to at once.
    """

    message_id: int
    cause: Cause
    selected: int


#: Changes of the same kind as what a run changed.
_LIKE = " AND (j.slot, j.after) IN (SELECT slot, after FROM journal WHERE run_id = :like)"


def standing_acts(session: Session, *, like: int | None = None) -> Iterator[StandingAct]:
    """All of them, message by message; what was undone is none, done again it is one again.

    With ``like``, of the messages alone to which the same was done as in that run.
    """
    runs = fetch(session, _RUNS)
    selected = {int(run): int(messages) for run, messages, _ in runs}
    lasting = {int(run) for run, _, lasts in runs if lasts}
    touched = fetch(
        session,
        f"SELECT DISTINCT j.entity_id FROM ({_RUNS}) AS r CROSS JOIN journal AS j"
        " ON j.run_id = r.id WHERE j.entity = 'message' AND j.rule_id IS NULL"
        f"{'' if like is None else _LIKE} ORDER BY 1",
        **({} if like is None else {"like": like}),
    )
    messages = [int(message) for (message,) in touched]
    for first in range(0, len(messages), _AT_ONCE):
        some = messages[first : first + _AT_ONCE]
        for message_id, causes in causes_of(session, some).items():
            for cause in causes:
                opened = cause.slot == "seen" and cause.run_id in lasting
                if cause.rule_id is None and cause.run_id in selected and not opened:
                    yield StandingAct(message_id, cause, selected[cause.run_id])
