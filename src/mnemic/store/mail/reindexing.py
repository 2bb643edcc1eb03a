"""The folded forms of messages made anew from their octets."""

from sqlmodel import Session

from mnemic.core import parse_message
from mnemic.store.engine.driver import driver
from mnemic.store.mail.folded import folded_values, replace_folded
from mnemic.store.mail.messages import octets_of_messages

__all__ = ["fold_some"]


def fold_some(session: Session, above: int, most: int) -> int:
    """Make the folded forms of so many messages at most anew, the lowest ids above one first.

    They must not be indexed meanwhile. Returns the highest of their ids, or ``above`` where none
    are left.
    """
    rows = driver(session).execute(
        "SELECT id FROM message WHERE id > ? ORDER BY id LIMIT ?", (above, most)
    )
    ids = [message_id for (message_id,) in rows.fetchall()]
    for message_id, octets in octets_of_messages(session, ids):
        replace_folded(driver(session), message_id, folded_values(parse_message(octets)))
    return ids[-1] if ids else above
