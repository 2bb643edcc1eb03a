"""What goes outside: forwards and automatic replies, kept here or sent on, and how that goes."""

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Literal, TypeAlias

from sqlalchemy import and_, func, or_
from sqlmodel import Session, col, select

from mnemic.core.canonical import canonical_address
from mnemic.store.engine.tables import PostedRow

__all__ = [
    "LetterState",
    "LetterTrouble",
    "Posted",
    "add_posted",
    "answered_at",
    "end_letter",
    "keep_letter",
    "keep_letters",
    "letter_troubles",
    "letters_due",
    "letters_of_message",
    "list_posted",
    "posted_octets",
    "put_letter_off",
    "wait_again",
]

#: Whether a letter is only kept here, is to leave, or has ended, and how.
LetterState: TypeAlias = Literal["kept", "waiting", "sent", "failed"]

#: As many as a person looks through.
_LIMIT = 200


@dataclass(frozen=True, slots=True)
class Posted:
    """A message that goes outside. Times are in seconds since 1970-01-01 UTC.

    It is sent by the account's submission server where it waits ``since`` some time, else kept.
    """

    at: int
    kind: str
    rule_name: str
    message_id: int | None
    sender: str
    recipient: str
    subject: str
    octets: bytes
    account_id: int | None = None
    since: int | None = None


def add_posted(session: Session, posted: Posted) -> None:
    """Keep what goes outside; it waits to be sent where it says since when."""
    key = canonical_address(posted.recipient)
    values = {name: getattr(posted, name) for name in Posted.__dataclass_fields__}
    state = "kept" if posted.since is None else "waiting"
    session.add(PostedRow(**values, recipient_canonical=key, state=state, due=posted.since))
    session.flush()


def list_posted(session: Session) -> list[PostedRow]:
    """The latest, newest first."""
    newest_first = col(PostedRow.at).desc(), col(PostedRow.id).desc()
    return list(session.exec(select(PostedRow).order_by(*newest_first).limit(_LIMIT)))


def posted_octets(session: Session, posted_id: int) -> bytes | None:
    """The octets of what went outside, or None where there is nothing of that id."""
    row = session.get(PostedRow, posted_id)
    return None if row is None else row.octets


def answered_at(session: Session, sender: str | None = None) -> dict[str, datetime]:
    """When canonical addresses (or one of them) last had an automatic reply."""
    asked = select(PostedRow.recipient_canonical, func.max(PostedRow.at)).where(
        PostedRow.kind == "reply"
    )
    if sender is not None:
        asked = asked.where(PostedRow.recipient_canonical == sender)
    rows = session.exec(asked.group_by(PostedRow.recipient_canonical))
    return {key: datetime.fromtimestamp(at, UTC) for key, at in rows}


def letters_of_message(session: Session, message_id: int) -> list[PostedRow]:
    """What went outside of a message, or is to: oldest first."""
    asked = select(PostedRow).where(PostedRow.message_id == message_id)
    return list(session.exec(asked.order_by(col(PostedRow.id))))


def letters_due(session: Session, account_id: int, now: int) -> list[PostedRow]:
    """What is to be sent by an account by now, oldest first."""
    asked = select(PostedRow).where(
        PostedRow.account_id == account_id,
        PostedRow.state == "waiting",
        col(PostedRow.due) <= now,
    )
    return list(session.exec(asked.order_by(col(PostedRow.id)).limit(_LIMIT)))


def end_letter(
    session: Session, letter_id: int, state: Literal["sent", "failed"], said: str, now: int
) -> None:
    """Note that a letter was sent or never will be; ``said`` are the server's words."""
    row = session.get_one(PostedRow, letter_id)
    row.state, row.said, row.ended, row.due = state, said, now, None
    row.tries += 1
    session.flush()


def put_letter_off(session: Session, letter_id: int, said: str, due: int) -> None:
    """Note that a letter is tried again later."""
    row = session.get_one(PostedRow, letter_id)
    row.said, row.due = said, due
    row.tries += 1
    session.flush()


def wait_again(session: Session, letter_id: int, now: int) -> bool:
    """Let a letter that failed be tried from the beginning; False where there is none such."""
    row = session.get(PostedRow, letter_id)
    if row is None or row.state != "failed":
        return False
    row.state, row.since, row.due, row.ended, row.tries = "waiting", now, now, None, 0
    session.flush()
    return True


#: The states of letters that may still be kept from leaving.
_NOT_SENT = ("waiting", "failed")


def keep_letter(session: Session, letter_id: int) -> bool:
    """What waits or has failed is only kept from now on; False where there is none such."""
    row = session.get(PostedRow, letter_id)
    if row is None or row.state not in _NOT_SENT:
        return False
    row.state, row.due = "kept", None
    session.flush()
    return True


def keep_letters(session: Session, account_id: int) -> None:
    """All that waits or has failed of an account is only kept from now on."""
    asked = select(PostedRow.id).where(
        PostedRow.account_id == account_id, col(PostedRow.state).in_(_NOT_SENT)
    )
    for letter_id in list(session.exec(asked)):
        keep_letter(session, letter_id or 0)


@dataclass(frozen=True, slots=True)
class LetterTrouble:
    """How many letters of an account wait after a try or have failed, and the last words."""

    waiting: int = 0
    failed: int = 0
    said: str = ""

    @property
    def saying(self) -> str:
        """It in one line; empty where there is no trouble."""
        sayings = []
        if self.waiting:
            sayings.append(f"{self.waiting} letter{'s wait' if self.waiting > 1 else ' waits'}")
        if self.failed:
            sayings.append(f"{self.failed} could not be sent")
        return f"{', '.join(sayings)}: {self.said}" if sayings else ""


def letter_troubles(session: Session) -> dict[int, LetterTrouble]:
    """The trouble that accounts have with their letters, by account."""
    waits = and_(col(PostedRow.state) == "waiting", col(PostedRow.tries) > 0)
    troubled = or_(col(PostedRow.state) == "failed", waits)
    asked = select(PostedRow.account_id, PostedRow.state, PostedRow.said).where(troubled)
    troubles: dict[int, LetterTrouble] = {}
    for account_id, state, said in session.exec(asked.order_by(col(PostedRow.id))):
        before = troubles.get(account_id or 0, LetterTrouble())
        waiting, failed = before.waiting + (state == "waiting"), before.failed + (state == "failed")
        troubles[account_id or 0] = LetterTrouble(waiting, failed, said)
    return troubles
