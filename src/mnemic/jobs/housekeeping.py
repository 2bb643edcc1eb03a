"""What happens by itself as time passes: the trash empties, erased mail is destroyed."""

from dataclasses import dataclass

from sqlmodel import Session

from mnemic.store.folders import folder_with_role
from mnemic.store.journal import execute
from mnemic.store.mailbox import delete_message
from mnemic.store.preferences import read_preferences

__all__ = ["Emptying", "clear_out", "next_emptying"]

_DAY = 86_400

#: Messages destroyed in one transaction: each takes its texts and index entries with it.
_BATCH = 200


@dataclass(frozen=True, slots=True)
class Emptying:
    """When the next messages leave the trash for good (seconds since 1970), and how many."""

    at: int
    messages: int


def clear_out(session: Session, *, now: int) -> int:
    """Destroy what has been in the trash, or held back as erased, for long enough.

    How many messages were destroyed, a batch at most: whoever calls goes on until none are left.
    """
    preferences = read_preferences(session)
    kept = {"trash": preferences.trash_days, "erased": preferences.undo_days}
    destroyed = 0
    for role, days in kept.items():
        due = execute(
            session,
            "SELECT id FROM message WHERE folder_id = :folder AND placed_at <= :before"
            " LIMIT :limit",
            folder=folder_with_role(session, role),  # type: ignore[arg-type] # its keys are roles
            before=now - days * _DAY,
            limit=_BATCH - destroyed,
        ).all()
        for (message_id,) in due:
            delete_message(session, message_id)
            destroyed += 1
    return destroyed


def next_emptying(session: Session) -> Emptying | None:
    """When the trash loses messages next, a day's worth told as one; None where it is empty."""
    trash = folder_with_role(session, "trash")
    first = execute(
        session, "SELECT min(placed_at) FROM message WHERE folder_id = :folder", folder=trash
    ).scalar_one()
    if first is None:
        return None
    count = execute(
        session,
        "SELECT count(*) FROM message WHERE folder_id = :folder AND placed_at < :until",
        folder=trash,
        until=first + _DAY,
    ).scalar_one()
    return Emptying(first + read_preferences(session).trash_days * _DAY, count)
