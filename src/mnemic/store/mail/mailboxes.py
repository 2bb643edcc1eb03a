"""Mailboxes: the local one, and one for each account whose mail lies on a server."""

from dataclasses import dataclass

from sqlmodel import Session, col, select

from mnemic.store.engine.sql import execute, fetch
from mnemic.store.engine.tables import MailboxRow
from mnemic.store.mail.folders import make_special_folders
from mnemic.store.mail.messages import delete_message

__all__ = [
    "Mailbox",
    "count_in_mailbox",
    "list_mailboxes",
    "mailbox_of_account",
    "make_mailbox",
    "remove_mailbox",
]


@dataclass(frozen=True, slots=True)
class Mailbox:
    """A tree of folders, and the account whose mail it holds; None: the local one."""

    id: int
    account_id: int | None


def list_mailboxes(session: Session) -> list[Mailbox]:
    """Every mailbox, the local one first."""
    rows = session.exec(select(MailboxRow).order_by(col(MailboxRow.id)))
    return [Mailbox(row.id or 0, row.account_id) for row in rows]


def mailbox_of_account(session: Session, account_id: int) -> int | None:
    """The id of an account's mailbox; None where it has none of its own."""
    return session.exec(select(MailboxRow.id).where(MailboxRow.account_id == account_id)).first()


def count_in_mailbox(session: Session, mailbox_id: int) -> int:
    """How many messages a mailbox has, erased ones left out."""
    counted = execute(
        session,
        "SELECT count(*) FROM message AS m JOIN folder AS f ON f.id = m.folder_id"
        " WHERE m.mailbox_id = :id AND f.role IS NOT 'erased'",
        id=mailbox_id,
    )
    return int(counted.scalar_one())


def make_mailbox(session: Session, account_id: int) -> int:
    """Make a mailbox for an account, with its special folders; its id."""
    row = MailboxRow(account_id=account_id)
    session.add(row)
    session.flush()
    mailbox_id = row.id or 0
    make_special_folders(session, mailbox_id)
    return mailbox_id


def remove_mailbox(session: Session, mailbox_id: int) -> int:
    """Destroy a mailbox with its folders and all of its mail; how many messages it had.

    This can't be undone. Rules, labels, and what the history says are kept.
    """
    ids = fetch(session, "SELECT id FROM message WHERE mailbox_id = :id", id=mailbox_id)
    for (message_id,) in ids:
        delete_message(session, message_id)
    execute(session, "UPDATE folder SET parent_id = NULL WHERE mailbox_id = :id", id=mailbox_id)
    execute(session, "DELETE FROM folder WHERE mailbox_id = :id", id=mailbox_id)
    session.delete(session.get_one(MailboxRow, mailbox_id))
    session.flush()
    return len(ids)
