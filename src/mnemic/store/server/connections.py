"""Connected accounts: how each is reached, and how it goes."""

from dataclasses import dataclass
from typing import Literal, NamedTuple, TypeAlias

from sqlmodel import Session, select

from mnemic.store.engine.server_tables import ConnectionRow
from mnemic.store.engine.sql import execute, fetch
from mnemic.store.mail.mailboxes import make_mailbox, remove_mailbox
from mnemic.store.mail.outbox import keep_letters
from mnemic.store.owner.accounts import Account, delete_account, list_accounts
from mnemic.store.server.secret_key import SecretKey
from mnemic.store.server.server_scripts import scripts_are_tried_again

__all__ = [
    "Connection",
    "Failing",
    "Reach",
    "SecretKind",
    "connect_account",
    "connection_of",
    "connection_of_mailbox",
    "connections",
    "forget_connection",
    "keep_secret",
    "mailboxes_of_run",
    "set_acting",
    "set_emptying",
    "set_server",
    "set_state",
    "set_submission",
    "submission_refused",
    "submits",
    "watched_mailboxes",
]

SecretKind: TypeAlias = Literal["password", "password-command", "token-command"]


@dataclass(frozen=True, slots=True)
class Reach:
    """Where an account's mail is, and how to come in; ``submission`` is host, port, security."""

    host: str
    port: int
    security: Literal["tls", "starttls", "none"]
    user: str
    secret_kind: SecretKind
    secret: str
    authorities: str | None = None
    submission: tuple[str, int, str] | None = None


@dataclass(frozen=True, slots=True)
class Connection:
    """A connected account, how it is reached, and how that goes.

    ``inbox`` is UIDVALIDITY and UIDNEXT of its inbox when it was connected: what came since has
    that UID or a higher one.
    """

    account: Account
    mailbox_id: int
    reach: Reach
    acting: bool
    refused: bool
    state: str
    alert: str | None
    inbox: tuple[int, int] | None
    submits: bool = False
    submission_refused: bool = False
    empties_trash: bool = False
    failing: "Failing | None" = None


class Failing(NamedTuple):
    """Since when a server fails, in seconds since 1970-01-01 UTC, and how many changes wait."""

    since: int
    waiting: int


def _sealed_for(account_id: int) -> str:
    return f"connection {account_id}"


def connect_account(
    session: Session,
    account: Account,
    reach: Reach,
    key: SecretKey,
    *,
    acting: bool,
    inbox: tuple[int, int] | None,
) -> int:
    """Keep how an account is reached, with a mailbox of its own; the mailbox's id."""
    mailbox_id = make_mailbox(session, account.id)
    host, port, security = reach.submission or (None, None, None)
    session.add(
        ConnectionRow(
            account_id=account.id,
            mailbox_id=mailbox_id,
            host=reach.host,
            port=reach.port,
            security=reach.security,
            authorities=reach.authorities,
            user=reach.user,
            secret_kind=reach.secret_kind,
            secret=key.sealed(reach.secret, _sealed_for(account.id)),
            submission_host=host,
            submission_port=port,
            submission_security=security,
            acting=acting,
            state="not looked at yet",
            inbox_validity=inbox[0] if inbox else None,
            inbox_uidnext=inbox[1] if inbox else None,
        )
    )
    session.flush()
    return mailbox_id


def connections(session: Session, key: SecretKey | None = None) -> list[Connection]:
    """Every connected account, in the order in which the accounts were made.

    Without the key their secrets stay closed, and are empty. Raises WrongKeyError with another.
    """
    rows = {row.account_id: row for row in session.exec(select(ConnectionRow))}
    return [
        _told(account, rows[account.id], key)
        for account in list_accounts(session)
        if account.id in rows
    ]


def connection_of(
    session: Session, account_id: int, key: SecretKey | None = None
) -> Connection | None:
    """How an account is connected; None where it is not. Raises WrongKeyError."""
    row = session.get(ConnectionRow, account_id, populate_existing=True)
    account = next((known for known in list_accounts(session) if known.id == account_id), None)
    return None if row is None or account is None else _told(account, row, key)


def connection_of_mailbox(session: Session, mailbox_id: int) -> Connection | None:
    """The account whose mailbox that is; None for the local one."""
    connections_here = (
        connection for connection in connections(session) if connection.mailbox_id == mailbox_id
    )
    return next(connections_here, None)


def _told(account: Account, row: ConnectionRow, key: SecretKey | None) -> Connection:
    secret = "" if key is None else key.opened(row.secret, _sealed_for(account.id))
    submission = None
    if row.submission_host is not None:
        port, security = row.submission_port or 0, row.submission_security or "tls"
        submission = (row.submission_host, port, security)
    reach = Reach(
        row.host,
        row.port,
        row.security,  # type: ignore[arg-type] # nothing else is kept
        row.user,
        row.secret_kind,  # type: ignore[arg-type] # nothing else is kept
        secret,
        row.authorities,
        submission,
    )
    inbox = None
    if row.inbox_validity is not None:
        inbox = (row.inbox_validity, row.inbox_uidnext or 1)
    return Connection(
        account,
        row.mailbox_id,
        reach,
        row.acting,
        row.refused,
        row.state,
        row.alert,
        inbox,
        submission is not None and row.submits,
        row.submission_refused,
        row.empties_trash,
        None if row.failing_since is None else Failing(row.failing_since, row.waiting),
    )


def watched_mailboxes(session: Session) -> dict[int, str]:
    """The mailboxes that are only watched, by id, with the names of their accounts."""
    rows = fetch(
        session,
        "SELECT c.mailbox_id, a.name FROM connection AS c JOIN account AS a"
        " ON a.id = c.account_id WHERE NOT c.acting",
    )
    return dict(rows)


def mailboxes_of_run(session: Session, run_id: int) -> list[int]:
    """The mailboxes of the messages that a run changed, and of the folders."""
    rows = fetch(
        session,
        "SELECT m.mailbox_id FROM journal AS j JOIN message AS m ON m.id = j.entity_id"
        " WHERE j.run_id = :run AND j.entity = 'message' UNION"
        " SELECT f.mailbox_id FROM journal AS j JOIN folder AS f ON f.id = j.entity_id"
        " WHERE j.run_id = :run AND j.entity = 'folder'",
        run=run_id,
    )
    return [mailbox_id for (mailbox_id,) in rows]


def keep_secret(
    session: Session, account_id: int, kind: SecretKind, secret: str, key: SecretKey
) -> None:
    """Keep another password (or command); what was refused is tried again with it."""
    row = session.get_one(ConnectionRow, account_id)
    row.secret_kind, row.secret = kind, key.sealed(secret, _sealed_for(account_id))
    row.refused = row.submission_refused = False
    session.flush()
    scripts_are_tried_again(session, account_id)


def submits(session: Session, account_id: int) -> bool:
    """Whether an account's forwards and answers leave by its submission server."""
    asked = "SELECT submits FROM connection WHERE account_id = :id AND submission_host IS NOT NULL"
    return any(on for (on,) in fetch(session, asked, id=account_id))


def set_server(session: Session, account_id: int, port: int, submission_port: int) -> None:
    """Note that an account's server listens on other ports now; whatever was refused is tried."""
    row = session.get_one(ConnectionRow, account_id)
    row.port, row.submission_port, row.refused = port, submission_port, False
    session.flush()


def set_submission(
    session: Session, account_id: int, at: tuple[str, int, str] | None, *, on: bool
) -> None:
    """Where an account's letters leave (host, port, security), and whether they do.

    Where they don't, those that wait are only kept.
    """
    row = session.get_one(ConnectionRow, account_id)
    row.submission_host, row.submission_port, row.submission_security = at or (None, None, None)
    row.submits, row.submission_refused = on, False
    session.flush()
    if at is None or not on:
        keep_letters(session, account_id)


def submission_refused(session: Session, account_id: int, *, refused: bool) -> None:
    """Note whether the submission server refused the password: it is not tried again unasked."""
    row = session.get(ConnectionRow, account_id)
    if row is not None and row.submission_refused != refused:
        row.submission_refused = refused
        session.flush()


def set_state(
    session: Session,
    account_id: int,
    state: str,
    *,
    refused: bool = False,
    alert: str | None = None,
    inbox: tuple[int, int] | None = None,
    failing: Failing | None = None,
) -> None:
    """Note how it goes, in one line; ``alert`` and ``inbox`` are kept where they are None."""
    row = session.get(ConnectionRow, account_id)
    if row is None:
        return
    if (row.state, row.refused) != (state, refused):  # else whoever waits for changes would wake
        row.state, row.refused = state, refused
    since, waiting = failing or (None, 0)
    if (row.failing_since, row.waiting) != (since, waiting):
        row.failing_since, row.waiting = since, waiting
    if alert is not None:
        row.alert = alert
    if inbox is not None:
        row.inbox_validity, row.inbox_uidnext = inbox
    session.flush()


def set_acting(session: Session, account_id: int, acting: bool) -> None:
    """Let rules act on the server, or only watch it."""
    session.get_one(ConnectionRow, account_id).acting = acting
    session.flush()


def set_emptying(session: Session, account_id: int, *, on: bool) -> None:
    """Let the account's trash be emptied after its days, on the server, too; or not."""
    session.get_one(ConnectionRow, account_id).empties_trash = on
    session.flush()


def forget_connection(session: Session, account_id: int) -> int:
    """Forget an account with its mirror and password; how many messages it had here.

    Nothing is done on the server. What the history says of it stays.
    """
    row = session.get_one(ConnectionRow, account_id)
    mailbox_id = row.mailbox_id
    keep_letters(session, account_id)
    session.delete(row)
    session.flush()
    execute(
        session,
        "DELETE FROM server_left WHERE server_folder_id IN (SELECT id FROM"
        " server_folder WHERE mailbox_id = :id)",
        id=mailbox_id,
    )
    for table in ("server_folder", "folder_choice"):
        execute(session, f"DELETE FROM {table} WHERE mailbox_id = :id", id=mailbox_id)
    messages = remove_mailbox(session, mailbox_id)
    delete_account(session, account_id)
    return messages
