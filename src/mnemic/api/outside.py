"""Outside: test messages go in by SMTP; what goes out can be looked at, and how it went."""

import re
import smtplib
from datetime import UTC, datetime
from typing import Annotated, Literal

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import AfterValidator, Field

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, QueryNumber, Text
from mnemic.api.json_body import json_body
from mnemic.api.messages import MessageOut, message_summaries
from mnemic.api.owner import AddressText
from mnemic.api.problem import ProblemDetails, not_found, problem_response
from mnemic.core import parse_message
from mnemic.core.message.addresses import parse_addresses
from mnemic.post.letters import written
from mnemic.store import Database
from mnemic.store.engine.tables import PostedRow
from mnemic.store.mail.messages import message_called
from mnemic.store.mail.outbox import keep_letter, list_posted, posted_octets, wait_again

__all__ = ["outside_blueprint"]

#: Seconds that our own listener may take to answer.
_PATIENCE = 20


def _field_name(name: str) -> str:
    if not re.fullmatch(r"[!-9;-~]{1,76}", name):
        raise ValueError("has to be a header field's name: printable ASCII without space or colon")
    return name


#: A header field's name (RFC 5322, section 2.2).
FieldName = Annotated[str, AfterValidator(_field_name)]


class TestMessageIn(Described):
    """A message from anybody to any of your addresses, with further header fields."""

    sender: Line = Field(max_length=400, description="an address, with or without a name")
    to: Annotated[list[AddressText], Field(min_length=1, max_length=50)]
    subject: Line = Field("", max_length=1_000)
    text: Text = Field("", max_length=1_000_000)
    headers: Annotated[dict[FieldName, Line], Field(max_length=20)] = Field({})
    to_server: bool = Field(default=False, description="to the stand-in, as mail from anybody")


class SentOut(Answer):
    """What the listener answered, and the message as it lies here now, with why it lies there.

    What was sent to the server comes in as other mail there does: it is no ``message`` yet.
    """

    answer: str
    message: MessageOut | None


class PostedOut(Answer):
    """A message that goes outside. ``state``: it is only kept here, waits to be sent since its
    account's server did not take it (``said``; ``due`` is the next try), was sent, or has failed.
    """

    id: int
    at: datetime
    kind: Literal["forward", "reply"]
    rule_name: str
    message_id: int | None
    sender: str
    recipient: str
    subject: str
    state: Literal["kept", "waiting", "sent", "failed"]
    said: str
    due: datetime | None


class PostedListOut(Answer):
    """What went outside, newest first."""

    posted: list[PostedOut]


class PostedPath(Described):
    """Which message that went outside."""

    id: QueryNumber


def _written(body: TestMessageIn) -> bytes:
    return written(
        sender=body.sender,
        recipients=tuple(body.to),
        subject=body.subject,
        text=body.text,
        at=datetime.now(UTC),
        headers=body.headers,
    )


def _posted(row: PostedRow) -> PostedOut:
    kept = row.model_dump(include=PostedOut.model_fields.keys() - {"at", "due"})
    due = None if row.due is None else datetime.fromtimestamp(row.due, UTC)
    return PostedOut(**kept, at=datetime.fromtimestamp(row.at, UTC), due=due)


def outside_blueprint(
    database: Database, smtp: tuple[str, int], server: tuple[str, int] | None
) -> APIBlueprint:
    """The simulated post, whose way in listens at ``smtp``: host and port. So does a ``server``."""
    blueprint = APIBlueprint(
        "outside", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    @blueprint.post("/api/outside/messages", summary="Send a message", responses={200: SentOut})
    def send(body: TestMessageIn) -> Response:
        addresses = parse_addresses(body.sender)
        if len(addresses) != 1 or not addresses[0].local or not addresses[0].domain:
            detail = "The sender has to be an address like name@domain, with or without a name."
            return problem_response(422, "Not valid", detail)
        try:
            octets = _written(body)
        except ValueError as error:
            detail = f"That can’t be written as mail: {error}. Change it and send it again."
            return problem_response(422, "Not valid", detail)
        to = server if body.to_server and server else smtp
        refused = _refused(to, addresses[0].address, body.to, octets)
        here = _arrived(database, octets) if refused is None and to is smtp else None
        return refused or json_body(SentOut(answer="Taken", message=here))

    @blueprint.get("/api/outside/posted", summary="What went out", responses={200: PostedListOut})
    def posted() -> Response:
        with database.reading() as session:
            rows = [_posted(row) for row in list_posted(session)]
        return json_body(PostedListOut(posted=rows))

    @blueprint.get("/api/outside/posted/<int:id>", summary="It, to look at")
    def octets(path: PostedPath) -> Response:
        with database.reading() as session:
            addresses = posted_octets(session, path.id)
        if addresses is None:
            return not_found("message")
        return Response(addresses, content_type="text/plain; charset=utf-8")

    _add_letters(blueprint, database)
    return blueprint


def _add_letters(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.post(
        "/api/outside/posted/<int:id>/again", summary="Try again", responses={204: None}
    )
    def again(path: PostedPath) -> Response:
        with database.writing() as session:
            known = wait_again(session, path.id, int(datetime.now(UTC).timestamp()))
        return Response(status=204) if known else not_found("letter that failed")

    @blueprint.post(
        "/api/outside/posted/<int:id>/keep", summary="Keep it here", responses={204: None}
    )
    def keep(path: PostedPath) -> Response:
        with database.writing() as session:
            known = keep_letter(session, path.id)
        return Response(status=204) if known else not_found("letter that waits or failed")


def _arrived(database: Database, octets: bytes) -> MessageOut | None:
    """The message that was delivered just now: it is here as soon as it was taken."""
    with database.reading() as session:
        row = message_called(session, parse_message(octets).message_id or "")
        return None if row is None else message_summaries(session, [row])[0]


def _refused(smtp: tuple[str, int], sender: str, to: list[str], octets: bytes) -> Response | None:
    """Send it; what to answer where it was not taken."""
    ascii_only = all(address.isascii() for address in (sender, *to))
    options = ["BODY=8BITMIME"] if ascii_only else ["SMTPUTF8", "BODY=8BITMIME"]
    try:
        with smtplib.SMTP(*smtp, timeout=_PATIENCE) as client:
            client.sendmail(sender, to, octets, options)
    except (smtplib.SMTPException, OSError) as error:
        return problem_response(
            502,
            "Not taken",
            f"Mnemic’s own listener did not take it ({error}). Try again; your text is kept.",
        )
    return None
