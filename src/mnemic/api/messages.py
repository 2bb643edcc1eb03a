"""Messages: lists, one message, its HTML made safe, its octets."""

from datetime import UTC, datetime
from typing import Self

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import BaseModel, Field, model_validator
from sqlmodel import Session

from mnemic.api.json_body import json_body
from mnemic.api.problem import ProblemDetails, not_found
from mnemic.api.safe_html import SAFE_HTML_POLICY, safe_html
from mnemic.core import Envelope, ParsedMessage, parse_message
from mnemic.core.addresses import Address
from mnemic.store import Database
from mnemic.store.folders import folder_paths
from mnemic.store.labels import labels_of
from mnemic.store.mailbox import list_messages, message_row, octets_of, set_seen
from mnemic.store.tables import MessageRow
from mnemic.store.trail import EvidencePiece, TrailEntry, trail_of

__all__ = ["EvidenceOut", "MessageOut", "message_summaries", "messages_blueprint"]


class EvidenceOut(BaseModel):
    """A piece of a message; characters ``start`` to ``end`` of ``value`` made a condition hold."""

    field: str
    value: str
    start: int
    end: int

    @classmethod
    def of(cls, piece: EvidencePiece) -> Self:
        """From the store's value."""
        return cls.model_validate(piece, from_attributes=True)


class TrailOut(BaseModel):
    """What one rule did to the message."""

    rule_id: int | None
    rule_name: str
    event: str
    at: datetime
    folder: str | None
    labels: list[str]
    evidence: list[EvidenceOut]

    @classmethod
    def of(cls, entry: TrailEntry) -> Self:
        """From the store's value."""
        return cls(
            rule_id=entry.rule_id,
            rule_name=entry.rule_name,
            event=entry.event,
            at=datetime.fromtimestamp(entry.at, UTC),
            folder=entry.folder,
            labels=list(entry.labels),
            evidence=[EvidenceOut.of(piece) for piece in entry.evidence],
        )


class MessageOut(BaseModel):
    """A message as lists show it; ``placed_by`` is the rule that put it where it is."""

    id: int
    subject: str | None
    sender_name: str
    sender_address: str
    preview: str
    received: datetime
    size: int
    attachments: int
    seen: bool
    folder_id: int
    folder: str
    labels: list[str]
    placed_by: TrailOut | None


class MessagesOut(BaseModel):
    """A page of a list, newest first; ``next`` asks for the one after it."""

    total: int
    messages: list[MessageOut]
    next: str | None


class AddressOut(BaseModel):
    """A mailbox of a header field."""

    name: str
    address: str


class AttachmentOut(BaseModel):
    """An attachment; ``size`` is in octets."""

    name: str
    media_type: str
    size: int


class OpenMessageOut(MessageOut):
    """A message opened: what a reader sees of it, and its trail.

    ``text`` is None where it has HTML alone; ``remote_pictures`` is None where it has no HTML.
    """

    from_: list[AddressOut] = Field(serialization_alias="from")
    to: list[AddressOut]
    cc: list[AddressOut]
    text: str | None
    remote_pictures: int | None
    attached: list[AttachmentOut]
    trail: list[TrailOut]


class MessageList(BaseModel):
    """Which messages to list: those of a folder or those with a label."""

    folder: int | None = None
    label: int | None = None
    after: str | None = Field(None, pattern=r"^\d+-\d+$", description="`next` of the page before")
    limit: int = Field(60, ge=1, le=200)

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.folder is None) == (self.label is None):
            raise ValueError("name either a folder or a label")
        return self

    @property
    def place(self) -> tuple[int, int] | None:
        """Where the page begins."""
        if self.after is None:
            return None
        received, _, message_id = self.after.partition("-")
        return int(received), int(message_id)


class MessagePath(BaseModel):
    """Which message."""

    message_id: int


class MessageChange(BaseModel):
    """What to change of a message."""

    seen: bool


def _placed_by(path: str, trail: list[TrailEntry]) -> TrailEntry | None:
    """The last rule that filed it, if it is still there; else the last that labelled it."""
    filings = [each for each in trail if each.folder is not None]
    if filings and (filings[-1].folder or "").casefold() == path.casefold():
        return filings[-1]
    labelled = [each for each in trail if each.labels]
    return labelled[-1] if labelled else None


def message_summaries(session: Session, rows: list[MessageRow]) -> list[MessageOut]:
    """Rows as lists show them."""
    ids = [row.id or 0 for row in rows]
    paths, labels, trails = folder_paths(session), labels_of(session, ids), trail_of(session, ids)
    summaries = []
    for row in rows:
        placed = _placed_by(paths[row.folder_id], trails.get(row.id or 0, []))
        summaries.append(
            MessageOut(
                **row.model_dump(exclude={"digest", "message_id", "received_at"}),
                received=datetime.fromtimestamp(row.received_at, UTC),
                folder=paths[row.folder_id],
                labels=labels.get(row.id or 0, []),
                placed_by=TrailOut.of(placed) if placed else None,
            )
        )
    return summaries


def _parsed(session: Session, message_id: int) -> ParsedMessage | None:
    stored = octets_of(session, message_id)
    return parse_message(stored.octets, Envelope(stored.return_path)) if stored else None


def _address_out(address: Address) -> AddressOut:
    return AddressOut(name=_printable(address.name), address=_printable(address.address))


def _printable(text: str) -> str:
    return text.encode("utf-8", "replace").decode("utf-8")


def _opened(session: Session, row: MessageRow, message: ParsedMessage) -> OpenMessageOut:
    summary = message_summaries(session, [row])[0]
    html = safe_html(message)
    text = message.plain_text
    trail = trail_of(session, [summary.id]).get(summary.id, [])

    def listed(header: str) -> list[AddressOut]:
        return [
            _address_out(each)
            for key, found in message.addresses.items()
            if key == header
            for each in found
        ]

    return OpenMessageOut(
        **summary.model_dump(),
        from_=listed("from"),
        to=listed("to"),
        cc=listed("cc"),
        text=None if text is None else _printable(text),
        remote_pictures=None if html is None else html.remote_pictures,
        attached=[
            AttachmentOut(name=_printable(each.name), media_type=each.media_type, size=each.size)
            for each in message.attachments
        ],
        trail=[TrailOut.of(each) for each in trail],
    )


def messages_blueprint(database: Database) -> APIBlueprint:
    """Messages."""
    blueprint = APIBlueprint("messages", __name__, abp_responses={404: ProblemDetails})

    @blueprint.get("/api/messages", summary="A page of a list", responses={200: MessagesOut})
    def messages(query: MessageList) -> Response:
        with database.reading() as session:
            page = list_messages(
                session,
                folder_id=query.folder,
                label_id=query.label,
                before=query.place,
                limit=query.limit,
            )
            following = None if page.next_before is None else "{}-{}".format(*page.next_before)
            summaries = message_summaries(session, page.rows)
        return json_body(MessagesOut(total=page.total, messages=summaries, next=following))

    @blueprint.get(
        "/api/messages/<int:message_id>", summary="One message", responses={200: OpenMessageOut}
    )
    def message(path: MessagePath) -> Response:
        with database.reading() as session:
            row, parsed = message_row(session, path.message_id), _parsed(session, path.message_id)
            if row is None or parsed is None:
                return not_found("message")
            return json_body(_opened(session, row, parsed))

    @blueprint.patch(
        "/api/messages/<int:message_id>", summary="Read or unread", responses={200: MessageOut}
    )
    def change(path: MessagePath, body: MessageChange) -> Response:
        with database.writing() as session:
            set_seen(session, path.message_id, seen=body.seen)
            row = message_row(session, path.message_id)
            if row is None:
                return not_found("message")
            summary = message_summaries(session, [row])[0]
        return json_body(summary)

    _add_contents(blueprint, database)
    return blueprint


def _add_contents(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.get("/api/messages/<int:message_id>/html", summary="Its HTML, made safe")
    def html(path: MessagePath) -> Response:
        with database.reading() as session:
            parsed = _parsed(session, path.message_id)
        safe = safe_html(parsed) if parsed else None
        if safe is None:
            return not_found("message’s HTML")
        headers = {"Content-Security-Policy": SAFE_HTML_POLICY, "Cache-Control": "no-store"}
        return Response(safe.page, mimetype="text/html", headers=headers)

    @blueprint.get("/api/messages/<int:message_id>/octets", summary="The message as it came (.eml)")
    def octets(path: MessagePath) -> Response:
        with database.reading() as session:
            stored = octets_of(session, path.message_id)
        if stored is None:
            return not_found("message")
        disposition = f'attachment; filename="message-{path.message_id}.eml"'
        headers = {"Content-Disposition": disposition}
        return Response(stored.octets, mimetype="message/rfc822", headers=headers)
