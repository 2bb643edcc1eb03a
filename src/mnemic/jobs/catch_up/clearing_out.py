"""What happens by itself as time passes: the trash empties, erased mail is destroyed.

What is destroyed is gone: SQLite overwrites what is deleted (``secure_delete``), and ``compact``
leaves nothing in the file's free room nor in its log. The history says that it happened.
"""

from dataclasses import dataclass

from sqlmodel import Session

from mnemic.jobs.catch_up.daily import moment_from
from mnemic.jobs.shared.destroying import GONE_FROM_TRASH, destroy
from mnemic.store import Database
from mnemic.store.mail.folders import Role, folder_with_role
from mnemic.store.mail.listing import count_placed_until, due_in_folder, first_placed_at
from mnemic.store.mail.messages import forget_addresses
from mnemic.store.owner.preferences import Preferences, read_preferences

__all__ = ["Emptying", "clear_out", "compact", "gone_at", "next_emptying"]

_DAY = 86_400

#: Messages destroyed in one transaction: each takes its texts and index entries with it.
_BATCH = 200

_SAYINGS: dict[Role, str] = {
    "trash": GONE_FROM_TRASH,
    "erased": "Erased mail destroyed for good",
}


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
    kept: dict[Role, int] = {"trash": preferences.trash_days, "erased": preferences.undo_days}
    destroyed = 0
    for role, days in kept.items():
        folder_id = folder_with_role(session, role)
        limit = _BATCH - destroyed
        due = due_in_folder(session, folder_id, before=now - days * _DAY, limit=limit)
        if due:
            destroy(session, _SAYINGS[role], folder_id, due, now)
            destroyed += len(due)
    return destroyed


def compact(database: Database) -> None:
    """Leave no trace of what was destroyed: no address that was in it alone, no free room."""
    with database.writing() as session:
        forget_addresses(session)
    database.compact()


def gone_at(preferences: Preferences, placed_at: int) -> int:
    """When what came into the trash then leaves it for good; both in seconds since 1970."""
    return moment_from(preferences, placed_at + preferences.trash_days * _DAY)


def next_emptying(session: Session) -> Emptying | None:
    """When the trash loses messages next, and how many then; None where it is empty."""
    trash, preferences = folder_with_role(session, "trash"), read_preferences(session)
    first = first_placed_at(session, trash)
    if first is None:
        return None
    at = gone_at(preferences, first)
    count = count_placed_until(session, trash, at - preferences.trash_days * _DAY)
    return Emptying(at, count)
