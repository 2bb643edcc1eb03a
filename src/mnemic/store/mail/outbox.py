"""What went outside: forwards and automatic replies. They are kept here, never sent on."""

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import func
from sqlmodel import Session, col, select

from mnemic.core.canonical import canonical_address
from mnemic.store.engine.tables import PostedRow

__all__ = ["Posted", "add_posted", "answered_at", "list_posted", "posted_octets"]

#: As many as a person looks through.
_LIMIT = 200


@dataclass(frozen=True, slots=True)
class Posted:
    """A message that went outside. ``at`` is in seconds since 1970-01-01 UTC."""

    at: int
    kind: str
    rule_name: str
    message_id: int | None
    sender: str
    recipient: str
    subject: str
    octets: bytes


def add_posted(session: Session, posted: Posted) -> None:
    """Keep what went outside."""
    key = canonical_address(posted.recipient)
    values = {name: getattr(posted, name) for name in Posted.__dataclass_fields__}
    session.add(PostedRow(**values, recipient_canonical=key))
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
