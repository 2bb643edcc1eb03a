"""How much lay in the inbox at the end of each day, and how much of it was unread.

From now on backwards: each change that the journal tells is taken back, each message that came in
is taken out again.
"""

import json
from collections.abc import Sequence
from typing import NamedTuple

from sqlmodel import Session

from mnemic.store.engine.sql import fetch
from mnemic.store.mail.folders import folders_with_role

__all__ = ["InboxDay", "inbox_at"]


class InboxDay(NamedTuple):
    """How many messages lay in the inbox, and how many of them were unread."""

    lies: int
    unread: int


_CHANGES = (
    "SELECT r.at, j.id, j.entity_id, j.slot, j.before FROM journal AS j"
    " JOIN run AS r ON r.id = j.run_id WHERE j.entity = 'message'"
    " AND j.slot IN ('folder_id', 'seen') AND r.at >= :since"
    " UNION ALL SELECT received_at, 0, id, 'came', NULL FROM message WHERE received_at >= :since"
    " ORDER BY 1 DESC, 2 DESC"
)


def inbox_at(
    session: Session, moments: Sequence[int], account_id: int | None = None
) -> list[InboxDay]:
    """The inbox at each of these moments, in order (seconds since 1970); of one account or all."""
    inboxes = {str(key) for key in folders_with_role(session, "inbox")}
    in_inbox = f"folder_id IN ({', '.join(inboxes)})"
    mine = "" if account_id is None else f" AND account_id = {account_id:d}"
    ((lies, unread),) = fetch(
        session,
        f"SELECT (SELECT count(*) FROM message WHERE {in_inbox}{mine}),"
        f" (SELECT count(*) FROM message WHERE {in_inbox} AND seen = 0{mine})",
    )
    changes = fetch(session, _CHANGES, since=min(moments, default=0))
    state = {
        int(key): [str(folder) in inboxes, bool(seen)]
        for key, folder, seen in fetch(
            session,
            "SELECT id, folder_id, seen FROM message"
            f" WHERE id IN (SELECT value FROM json_each(:ids)){mine}",
            ids=json.dumps(sorted({int(change[2]) for change in changes})),
        )
    }
    wanted = sorted(moments, reverse=True)
    days: list[InboxDay] = []
    for at, _, key, slot, before in changes:
        while len(days) < len(wanted) and at <= wanted[len(days)]:
            days.append(InboxDay(lies, unread))
        now = state.get(int(key))
        if now is None:
            continue
        lies, unread = lies - now[0], unread - (now[0] and not now[1])
        if slot == "folder_id":
            now[0] = before in inboxes
        elif slot == "seen":
            now[1] = before == "1"
        else:
            now[0] = False
        lies, unread = lies + now[0], unread + (now[0] and not now[1])
    days += [InboxDay(lies, unread)] * (len(wanted) - len(days))
    return days[::-1]
