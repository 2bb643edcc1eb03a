"""Connecting an account: trying it, in words, and keeping it once it works."""

from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core import MnemicError
from mnemic.core.canonical import canonical_address
from mnemic.jobs.server.mirrored_folders import FolderList
from mnemic.jobs.server.passing import access_to, submission_access
from mnemic.post.imap import CommandRefusedError, ServerMailbox, connected
from mnemic.post.submission import submitting
from mnemic.store.engine.session_memory import shared_by
from mnemic.store.owner.accounts import Account, change_account, list_accounts
from mnemic.store.search.content_masks import ContentMasks
from mnemic.store.server.connections import (
    Reach,
    connect_account,
    connections,
    forget_connection,
)
from mnemic.store.server.secret_key import SecretKey

__all__ = ["Tried", "connect", "disconnect", "try_out", "try_submission"]

#: What a server that lacks an extension means for what is done here.
_LACKING = {
    "MOVE": "No MOVE: moves are copy and delete.",
    "UIDPLUS": "No UIDPLUS: what was moved stays behind there, marked as deleted.",
    "IDLE": "No IDLE: new mail is looked for every few minutes.",
    "CONDSTORE": "No CONDSTORE: each look compares all flags.",
}


def disconnect(session: Session, account_id: int) -> int:
    """Forget an account, its mirror and what was read of it; how many messages it had here.

    Nothing is done on the server. What the history says of it stays.
    """
    shared_by(session, ContentMasks).forget()
    return forget_connection(session, account_id)


class NameTakenError(MnemicError):
    """An account's name that another one has."""


@dataclass(frozen=True, slots=True)
class Tried:
    """What was found: sentences, and UIDVALIDITY and UIDNEXT of the inbox."""

    sentences: tuple[str, ...]
    inbox: tuple[int, int]


def try_submission(reach: Reach) -> tuple[str, ...]:
    """Log in where letters leave, and send none: it in words. Raises ServerError."""
    access = submission_access(reach)
    if access is None:
        return ()
    with submitting(access):
        return (f"Forwards and answers can leave by {access.address}.",)


def try_out(reach: Reach) -> Tried:
    """Log in and look, and change nothing. Raises ServerError with a sentence."""
    with connected(access_to(reach)) as client:
        mailbox = ServerMailbox(client)
        folders = FolderList.of(mailbox)
        words, inbox, keeps = [], None, None
        for listed in folders.mirrored():
            try:
                state = mailbox.open(listed.name, only_look=True)
            except CommandRefusedError:
                words.append(f"{listed.name} can’t be opened")
                continue
            words.append(f"{listed.name} {state.messages:,}")
            if listed.name.upper() == "INBOX":
                inbox, keeps = (state.validity, state.uidnext), state.keeps_keywords
        if inbox is None:
            raise CommandRefusedError("the server has no inbox that can be opened")
        sentences = [f"Found {len(words)} folders: {', '.join(words)}."]
        sentences += [saying for name, saying in _LACKING.items() if not mailbox.can(name)]
        if not keeps:
            sentences.append("Whether labels can be kept there shows once rules act.")
        return Tried(tuple(sentences), inbox)


def connect(
    session: Session,
    account: Account,
    reach: Reach,
    key: SecretKey,
    *,
    acting: bool,
    tried: Tried | None,
) -> int:
    """Keep an account that was tried (or not); the id of the account.

    One that is here, but connected to nothing, is the one that is connected. Raises NameTakenError
    or AddressTakenError.
    """
    known = list_accounts(session)
    connected_ids = {connection.account.id for connection in connections(session)}
    own = canonical_address(account.address)
    same = next((other for other in known if canonical_address(other.address) == own), None)
    if same is not None and same.id in connected_ids:
        raise NameTakenError(f"{account.address} is connected already, as “{same.name}”")
    for other in known:
        if other.name == account.name and other is not same:
            raise NameTakenError(f"there is an account “{account.name}” already; choose a name")
    kept = change_account(
        session, Account(same.id if same else 0, account.name, account.address, account.aliases)
    )
    inbox = None if tried is None else tried.inbox
    connect_account(session, kept, reach, key, acting=acting, inbox=inbox)
    return kept.id
