"""One message opened: what a reader sees of it, its facts, its parts, its octets."""

from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from io import BytesIO

from flask import Response, send_file
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.messages import MessageOut, TrailOut, message_summaries
from mnemic.api.problem import ProblemDetails, not_found
from mnemic.api.safe_html import SAFE_HTML_POLICY, SafePages
from mnemic.core import ParsedMessage
from mnemic.core.facts import facts_of
from mnemic.core.message.mime_parts import payload_octets
from mnemic.core.message.unsubscribe import unsubscribe_addresses
from mnemic.core.rules import GROUPS, Test
from mnemic.jobs.people.message_history import steps_of
from mnemic.jobs.server.message_notes import message_notes
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.store import Database
from mnemic.store.journal.trail import foreseen_of, trail_of
from mnemic.store.mail.message_views import stored_messages
from mnemic.store.mail.messages import message_row, octets_of

__all__ = ["open_message_blueprint"]


class AddressOut(Answer):
    """A mailbox of a header field."""

    name: str
    address: str


class AttachmentOut(Answer):
    """An attachment; ``size`` is in octets."""

    name: str
    media_type: str
    size: int


class FactOut(Answer):
    """A piece to pick, and the condition that it makes; ``called`` is what people call it by."""

    about: str
    text: str
    called: str
    condition: Test


# `Test` names the groups by name, since they hold tests themselves.
FactOut.model_rebuild(_types_namespace={group.__name__: group for group in GROUPS})


class HeaderOut(Answer):
    """A header field, decoded."""

    name: str
    value: str


class StepOut(Answer):
    """Something that happened to the message; ``minor``: it was received, or read."""

    at: datetime
    saying: str
    by_person: bool
    minor: bool


class OpenMessageOut(MessageOut):
    """A message opened: what a reader sees of it, and its trail.

    ``trail`` is what rules did to it, ``steps`` everything else that happened to it.
    ``text`` is None where it has HTML alone; ``remote_pictures`` are the addresses of pictures
    that are not loaded, None where it has no HTML.
    """

    from_: list[AddressOut] = Field(serialization_alias="from")
    to: list[AddressOut]
    cc: list[AddressOut]
    delivered_to: list[str]
    account: str | None
    kind_reason: str
    unsubscribe: list[str]
    text: str | None
    remote_pictures: list[str] | None
    attached: list[AttachmentOut]
    facts: list[FactOut]
    trail: list[TrailOut]
    steps: list[StepOut]
    headers: list[HeaderOut]
    notes: list[str]


class MessagePath(Described):
    """Which message."""

    message_id: QueryNumber


class AttachmentPath(MessagePath):
    """Which attachment, counted from 0."""

    number: QueryNumber


def _addresses(message: ParsedMessage, header: str) -> list[AddressOut]:
    addresses = message.addresses.get(header, ())  # type: ignore[call-overload] # one of its keys
    return [AddressOut.model_validate(address) for address in addresses]


def _headers(message: ParsedMessage) -> list[HeaderOut]:
    values: dict[str, Iterator[str]] = {}
    listed = []
    for name, _ in message.part.raw_items():
        key = name.strip().lower()
        if key not in values:
            values[key] = iter(message.header(key))
        value = next(values[key], None)
        if value is not None:
            listed.append(HeaderOut(name=name, value=value))
    return listed


def _opened(session: Session, message_id: int, pages: SafePages) -> OpenMessageOut | None:
    stored = next(stored_messages(session, iter([message_id])), None)
    row = message_row(session, message_id)
    if stored is None or row is None:
        return None
    message = stored.parsed
    html, text = pages.of(message_id, message), message.plain_text
    around = MailboxCircumstances(session, datetime.now(UTC))
    circumstances = around.of(datetime.fromtimestamp(row.received_at, UTC), message_id)
    return OpenMessageOut(
        **message_summaries(session, [row])[0].model_dump(),
        from_=_addresses(message, "from"),
        to=_addresses(message, "to"),
        cc=_addresses(message, "cc"),
        delivered_to=list(stored.envelope.recipients),
        account=stored.state.account,
        kind_reason=message.kind.reason,
        unsubscribe=list(unsubscribe_addresses(message)),
        text=text,
        remote_pictures=None if html is None else list(html.remote_pictures),
        attached=[AttachmentOut.model_validate(attachment) for attachment in message.attachments],
        facts=[FactOut.model_validate(fact) for fact in facts_of(stored, circumstances)],
        trail=[
            TrailOut.of(entry)
            for entries in (trail_of, foreseen_of)
            for entry in entries(session, [message_id]).get(message_id, [])
        ],
        steps=[StepOut.model_validate(step) for step in steps_of(session, message_id)],
        headers=_headers(message),
        notes=[*message_notes(session, row), *message.notes],
    )


def open_message_blueprint(database: Database) -> APIBlueprint:
    """One message."""
    blueprint = APIBlueprint("open_message", __name__, abp_responses={404: ProblemDetails})

    pages = SafePages()

    def parsed(message_id: int) -> ParsedMessage | None:
        with database.reading() as session:
            if message_row(session, message_id) is None:
                return None
            stored = next(stored_messages(session, iter([message_id])), None)
            return None if stored is None else stored.parsed

    @blueprint.get(
        "/api/messages/<int:message_id>", summary="One message", responses={200: OpenMessageOut}
    )
    def message(path: MessagePath) -> Response:
        with database.reading() as session:
            opened = _opened(session, path.message_id, pages)
        return not_found("message") if opened is None else json_body(opened)

    _add_contents(blueprint, parsed, pages)
    _add_octets(blueprint, database)
    return blueprint


def _add_contents(
    blueprint: APIBlueprint, parsed: Callable[[int], ParsedMessage | None], pages: SafePages
) -> None:
    @blueprint.get("/api/messages/<int:message_id>/html", summary="Its HTML, made safe")
    def html(path: MessagePath) -> Response:
        message = parsed(path.message_id)
        safe = pages.of(path.message_id, message) if message else None
        if safe is None:
            return not_found("message’s HTML")
        headers = {"Content-Security-Policy": SAFE_HTML_POLICY, "Cache-Control": "no-store"}
        return Response(safe.page, mimetype="text/html", headers=headers)

    @blueprint.get(
        "/api/messages/<int:message_id>/attachments/<int:number>", summary="An attachment"
    )
    def attachment(path: AttachmentPath) -> Response:
        message = parsed(path.message_id)
        leaves = [leaf for leaf in message.leaves if leaf.attached] if message else []
        if message is None or path.number >= len(leaves):
            return not_found("attachment")
        name = message.attachments[path.number].name or f"attachment-{path.number + 1}"
        return _download(payload_octets(leaves[path.number].part), name)


def _add_octets(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.get("/api/messages/<int:message_id>/octets", summary="The message as it came (.eml)")
    def octets(path: MessagePath) -> Response:
        with database.reading() as session:
            stored = octets_of(session, path.message_id)
        if stored is None:
            return not_found("message")
        name = f"message-{path.message_id}.eml"
        return _download(stored, name, "message/rfc822")

    @blueprint.get(
        "/api/messages/<int:message_id>/source", summary="The message as it came, to look at"
    )
    def source(path: MessagePath) -> Response:
        with database.reading() as session:
            stored = octets_of(session, path.message_id)
        if stored is None:
            return not_found("message")
        # As plain text, whatever it holds: the browser shows it and runs nothing.
        return Response(stored, content_type="text/plain; charset=utf-8")


def _download(octets: bytes, name: str, media_type: str = "application/octet-stream") -> Response:
    """A file for the disk, never for the page: its type is not what its sender says."""
    safe = "".join(character for character in name if character.isprintable()).replace("/", "_")
    safe = safe.replace("\\", "_").strip(". ") or "attachment"
    return send_file(BytesIO(octets), media_type, as_attachment=True, download_name=safe)
