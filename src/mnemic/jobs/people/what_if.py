"""Why: what the line as it stands now would make of a message that is here."""

from datetime import UTC, datetime

from sqlmodel import Session

from mnemic.core import Event, Given, MessageState, Outcome, through_rules
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.store.journal.changes import Slot, as_it_came
from mnemic.store.line.rules import StoredRule, list_rules
from mnemic.store.mail.folders import folder_paths, folder_with_role
from mnemic.store.mail.message_views import stored_messages

__all__ = ["what_if"]


def _came(session: Session, message_id: int, slot: Slot) -> bool:
    return bool(int(as_it_came(session, message_id, slot)))


def what_if(
    session: Session, message_id: int, *, now: datetime
) -> tuple[Event, list[StoredRule], Outcome] | None:
    """The event, the line, and the outcome with its trail, if the message came in now.

    None where there is no such message.
    """
    message = next(stored_messages(session, iter([message_id])), None)
    if message is None:
        return None
    around = MailboxCircumstances(session, now)
    event: Event = "sent" if around.is_sent(message) else "arrival"
    line = list_rules(session)
    received = datetime.fromtimestamp(message.row.received_at, UTC)
    home = folder_with_role(session, "sent" if event == "sent" else "inbox")
    # As it came in: what has become of it since is a reason for nothing.
    state = MessageState(
        message.state.account,
        folder_paths(session)[home],
        seen=_came(session, message_id, "seen"),
        flagged=_came(session, message_id, "flagged"),
    )
    given = Given(state, around.of(received, message.id))
    return event, line, through_rules([stored.rule for stored in line], message, event, given)
