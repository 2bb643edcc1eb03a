"""Messages in lists."""

import json
from datetime import UTC, datetime
from typing import Any, Literal, Self

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field, model_validator
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.problem import FieldError, ProblemDetails
from mnemic.api.withdrawn import still_asked
from mnemic.core.evidence_words import value_in_words
from mnemic.core.fields.kind import KIND_WORDS, KINDS_OF_MAIL
from mnemic.core.search import PREFIXES, Search, understand
from mnemic.jobs.catch_up.clearing_out import gone_at
from mnemic.jobs.people.reasons import deeds_of, reasons_for, undone_deeds_of
from mnemic.store import Database
from mnemic.store.engine.reader_cache import ReadingSession
from mnemic.store.engine.tables import MessageRow
from mnemic.store.journal.trail import EvidencePiece, TrailEntry, trail_of
from mnemic.store.mail.folders import folder_paths, folder_with_role
from mnemic.store.mail.labels import labels_of
from mnemic.store.mail.listing import list_messages
from mnemic.store.mail.message_kinds import count_kinds
from mnemic.store.owner.preferences import Preferences, read_preferences
from mnemic.store.search.finding import find_first, find_messages

__all__ = [
    "EvidenceOut",
    "MessageOut",
    "TrailOut",
    "message_summaries",
    "messages_blueprint",
    "understood",
]


class EvidenceOut(Answer):
    """A piece of a message; characters ``start`` to ``end`` of ``value`` made a condition hold.

    What no message holds is said in words: that I am in Cc, that its sender is a known contact.
    """

    field: str
    value: str
    start: int
    end: int

    @classmethod
    def of(cls, piece: EvidencePiece) -> Self:
        """From the store's value."""
        words = value_in_words(piece.field, piece.value)
        start, end = (piece.start, piece.end) if words == piece.value else (0, len(words))
        return cls(field=piece.field, value=words, start=start, end=end)


class ActionTrailOut(Answer):
    """What became of one action: done, overruled by a rule above, or held back for a reason."""

    action: dict[str, Any]
    overruled_by: str | None
    held_back: str | None


class TrailOut(Answer):
    """What one rule did to the message.

    ``done`` is what it did in words, ``not_done`` what it did not do, and why.
    """

    rule_id: int | None
    rule_name: str
    event: str
    at: datetime
    folder: str | None
    labels: list[str]
    evidence: list[EvidenceOut]
    actions: list[ActionTrailOut]
    done: list[str]
    not_done: list[str]

    @classmethod
    def of(cls, entry: TrailEntry) -> Self:
        """From the store's value."""
        return cls.telling(
            entry,
            evidence=[EvidenceOut.of(piece) for piece in entry.evidence],
            actions=[ActionTrailOut.model_validate(action) for action in json.loads(entry.actions)],
            done=deeds_of(entry),
            not_done=undone_deeds_of(entry),
        )


class ReasonOut(Answer):
    """Why a message is as it is: what was done, by which rule (or by you), and on what evidence.

    ``saying`` ends before the rule's name: "here by", "flagged by"; the name is empty where it was
    you. ``because`` is empty where there is no evidence.
    """

    saying: str
    rule_id: int | None
    rule_name: str
    because: str
    at: datetime


class MessageOut(Answer):
    """A message as lists show it; ``reason`` says why it is as it is, if anybody touched it.

    ``placed_by`` is what the trail says of the rule whose doing it is, ``by_hand`` when a person
    put it there, if one did. ``gone_at`` is when it leaves the trash for good.
    """

    id: int
    subject: str | None
    sender_name: str
    sender_address: str
    preview: str
    received: datetime
    size: int
    attachments: int
    kind: str
    seen: bool
    flagged: bool
    colour: str | None
    priority: str | None
    folder_id: int
    folder: str
    labels: list[str]
    reason: ReasonOut | None
    placed_by: TrailOut | None
    by_hand: datetime | None
    gone_at: datetime | None


class MessagesOut(Answer):
    """A page of a list, newest first. ``problems`` says what of a search could not be read.

    ``whole``: all there are were counted; else ``total`` is "at least".

    ``unfinished`` says what may stand behind the prefixes that are still being typed.
    """

    total: int
    whole: bool = True
    messages: list[MessageOut]
    problems: list[FieldError] = Field([])
    unfinished: list[str] = Field([])


class MessageList(Described):
    """Which messages to list: those of a folder, those with a label, or those found."""

    folder: QueryNumber | None = None
    label: QueryNumber | None = None
    find: Line | None = Field(None, max_length=500, description="what was typed into Find")
    offset: QueryNumber = Field(0, ge=0)
    limit: QueryNumber = Field(60, ge=1, le=200)
    patience: Literal["glance", "whole"] = Field(
        "whole", description="glance: the first page of a search at once, counted or not"
    )

    @model_validator(mode="after")
    def _one_of_them(self) -> Self:
        if [self.folder, self.label, self.find].count(None) != 2:
            raise ValueError("name one of folder, label and find")
        return self


class KindsQuery(Described):
    """Which mail: that of a folder, or with a label."""

    folder: QueryNumber | None = None
    label: QueryNumber | None = None


class KindCountOut(Answer):
    """A kind, what people call one and several of it, and how many messages there are."""

    kind: str
    words: str
    many: str
    messages: int


class KindsOut(Answer):
    """The kinds there are, the most frequent first."""

    kinds: list[KindCountOut]


def understood(text: str, preferences: Preferences) -> Search:
    """What was typed into Find, on the owner's day."""
    return understand(text, datetime.now(preferences.zone).date())


#: Columns that lists don't show.
_INNER = {
    "attachment_types",
    "digest",
    "kind_reason",
    "mailbox_id",
    "list_id",
    "message_id",
    "placed_at",
    "received_at",
}


def _moment(seconds: int | None) -> datetime | None:
    return None if seconds is None else datetime.fromtimestamp(seconds, UTC)


def message_summaries(session: Session, rows: list[MessageRow]) -> list[MessageOut]:
    """Rows as lists show them."""
    ids = [row.id or 0 for row in rows]
    paths, labels, trails = folder_paths(session), labels_of(session, ids), trail_of(session, ids)
    reasons = reasons_for(session, rows, trails)
    trash, preferences = folder_with_role(session, "trash"), read_preferences(session)
    summaries = []
    for row in rows:
        reason = reasons.get(row.id or 0)
        entry = None if reason is None else reason.entry
        by_hand = reason.at if reason and not reason.rule_name else None
        gone = gone_at(preferences, row.placed_at) if row.folder_id == trash else None
        summaries.append(
            MessageOut(
                **row.model_dump(exclude=_INNER),
                received=datetime.fromtimestamp(row.received_at, UTC),
                folder=paths[row.folder_id],
                labels=labels.get(row.id or 0, []),
                reason=None if reason is None else ReasonOut.model_validate(reason),
                placed_by=None if entry is None else TrailOut.of(entry),
                by_hand=_moment(by_hand),
                gone_at=_moment(gone),
            )
        )
    return summaries


def _found(session: ReadingSession, query: MessageList) -> MessagesOut:
    preferences = read_preferences(session)
    search = understood(query.find or "", preferences)
    problems = [
        FieldError(path=problem.path, message=problem.message) for problem in search.problems
    ]
    unfinished = [f"{prefix}: {PREFIXES[prefix].meaning}" for prefix in search.unfinished]
    if search.test is None:
        return MessagesOut(total=0, messages=[], problems=problems, unfinished=unfinished)
    zone, limit = preferences.zone, query.limit
    if query.patience == "glance" and query.offset == 0:
        first = find_first(session, search.test, zone, limit=limit, check=still_asked())
    else:
        first = find_messages(
            session, search.test, zone, offset=query.offset, limit=limit, check=still_asked()
        )
    return MessagesOut(
        total=first.total,
        whole=first.whole,
        messages=message_summaries(session, first.rows),
        problems=problems,
        unfinished=unfinished,
    )


def _listed(session: Session, query: MessageList) -> MessagesOut:
    page = list_messages(
        session,
        folder_id=query.folder,
        label_id=query.label,
        offset=query.offset,
        limit=query.limit,
    )
    return MessagesOut(total=page.total, messages=message_summaries(session, page.rows))


def messages_blueprint(database: Database) -> APIBlueprint:
    """Lists of messages."""
    blueprint = APIBlueprint("messages", __name__, abp_responses={422: ProblemDetails})

    @blueprint.get("/api/kinds", summary="Its mail by kind", responses={200: KindsOut})
    def kinds(query: KindsQuery) -> Response:
        with database.reading() as session:
            counts = count_kinds(session, folder_id=query.folder, label_id=query.label)
        counted = [
            KindCountOut(kind=kind, words=KIND_WORDS[kind], many=KINDS_OF_MAIL[kind], messages=n)
            for kind, n in counts.items()
        ]
        return json_body(KindsOut(kinds=counted))

    @blueprint.get("/api/messages", summary="A page of a list", responses={200: MessagesOut})
    def messages(query: MessageList) -> Response:
        with database.reading() as session:
            page = _listed(session, query) if query.find is None else _found(session, query)
        return json_body(page)

    return blueprint
