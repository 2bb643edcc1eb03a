"""What people do with mail, and how the mail is then."""

from datetime import UTC, datetime
from typing import Any

from pydantic import TypeAdapter
from sqlmodel import Session

from mnemic.core.actions import Action
from mnemic.jobs.people.acts import Acted, PlainAct, act
from mnemic.store.engine.sql import fetch
from mnemic.store.mail.folders import folder_paths
from mnemic.store.mail.labels import labels_of
from mnemic.store.search.selection import Selection

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
AT = int(NOW.timestamp())


def do(session: Session, which: Selection | list[int], *, at: int = AT, **what: Any) -> Acted:
    selection = which if isinstance(which, Selection) else Selection(ids=tuple(which))
    if what["do"] in ("restore", "put_back", "uncolour"):
        return act(session, selection, PlainAct(**what), at=at)
    return act(session, selection, TypeAdapter[Any](Action).validate_python(what), at=at)


def state(session: Session) -> dict[int, Any]:
    """Everything that acts can change, by message; erased ones are where they are held back."""
    paths = folder_paths(session)
    rows = fetch(
        session, "SELECT id, folder_id, seen, flagged, colour, priority FROM message ORDER BY id"
    )
    labels = labels_of(session, [row[0] for row in rows])
    return {
        row[0]: (paths.get(row[1]), *map(bool, row[2:4]), *row[4:], labels.get(row[0], []))
        for row in rows
    }
