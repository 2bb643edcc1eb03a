"""Rehearsal: what a rule on its way would do with mail already here."""

from datetime import UTC, datetime
from typing import Literal

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, Number, QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.messages import EvidenceOut
from mnemic.api.problem import ProblemDetails, not_found
from mnemic.api.rules import PinModel
from mnemic.api.withdrawn import still_asked
from mnemic.core import Rule
from mnemic.core.actions import Action, NotifyAction
from mnemic.core.bounds import MOST_NAME
from mnemic.core.rules import GROUPS, BoundedTest, Event
from mnemic.core.rules.active_days import ActiveDays
from mnemic.core.rules.differences import changes_between
from mnemic.core.rules.sentence import sentence
from mnemic.jobs import Rehearsal, rehearse
from mnemic.jobs.rehearsal.examples import check_examples
from mnemic.jobs.rehearsal.rehearse import Earlier
from mnemic.jobs.rehearsal.tried_mail import try_on
from mnemic.jobs.shared.excerpts import evidence_of
from mnemic.store import Database
from mnemic.store.line.pins import Pin
from mnemic.store.line.rules import StoredRule, list_rules
from mnemic.store.mail.folders import folder_paths
from mnemic.store.mail.message_views import StoredMessage, stored_messages
from mnemic.store.mail.messages import message_row

__all__ = ["PhraseOut", "rehearsal_blueprint"]

#: Seconds after which a first answer is given with what was counted so far: with what the answer
#: itself costs it stands on the screen before a person would call it slow.
_GLANCE = 0.03


class RehearsalIn(Described):
    """A rule on its way: what has been said of it so far."""

    name: Line = Field("rehearsal", max_length=MOST_NAME)
    enabled: bool = True
    when: BoundedTest
    unless: BoundedTest | None = None
    then: list[Action] = Field([])
    stop: bool = False
    runs: list[Event] = Field(["arrival"], min_length=1)
    accounts: list[Line] = Field([])
    active: ActiveDays | None = None
    limit: Number = Field(50, ge=1, le=200)
    rule_id: Number | None = Field(
        None, description="the saved rule it is; those above it come first"
    )
    pins: list[PinModel] = Field([])
    patience: Literal["glance", "whole"] = Field(
        "whole", description="glance: answer at once with what can be counted in that time"
    )


# `Test` names the groups by name, since they hold tests themselves.
RehearsalIn.model_rebuild(_types_namespace={group.__name__: group for group in GROUPS})


class PhraseOut(Answer):
    """A piece of the sentence; ``strong`` marks what the owner filled in."""

    text: str
    strong: bool


class MailOut(Answer):
    """A message as the rehearsal shows it."""

    id: int
    subject: str | None
    sender_name: str
    sender_address: str
    received: datetime
    folder_id: int
    folder: str


class RehearsedOut(Answer):
    """A message that the rule would take, and on what evidence.

    ``stays`` says why a catch-up leaves it where it is; empty where it goes where the rule says.
    """

    message: MailOut
    evidence: list[EvidenceOut]
    stays: str = ""


class NearlyOut(RehearsedOut):
    """A message that misses the rule by one condition: which, in words."""

    missing: str


class EarlierOut(Answer):
    """A rule above that gets there first, with how many of the messages, and whether it stops."""

    rule_id: int
    name: str
    messages: int
    stops: bool


class ElsewhereOut(Answer):
    """A folder in which some of the messages are already, and how many."""

    folder: str
    messages: int


class ExampleOut(Answer):
    """A pinned message, and what is wrong with it in words; empty where it is as it must be."""

    message: MailOut
    wanted: bool
    wrong: str


class RehearsalOut(Answer):
    """What the rule would take of the mail already here.

    ``whole``: all mail was looked at; else every count is "at least". ``settled``: of those it
    takes, how many are already as its actions would have them. ``respected``: how many others a
    person changed after the rule acted, so that a catch-up leaves them alone. ``catch_up``: how
    many a catch-up would change, and ``question`` is what to ask before it. ``elsewhere``: how many
    of them are where, the inbox left out. ``spared``: how many the exceptions keep out.
    ``takes_otherwise``: with any in place of all, or the reverse. ``counts``: for how many messages
    each condition and bracket holds by itself, by its path (``when.all[0]``). ``nearly``: how many
    miss it by exactly one condition. ``earlier``: rules above that place those messages first.
    ``risks``: what may not be meant. ``examples``: the pinned messages. ``changes``: what differs
    from the saved rule.
    """

    examined: int
    whole: bool
    takes: int
    settled: int
    respected: int
    catch_up: int
    question: str | None
    elsewhere: list[ElsewhereOut]
    spared: int
    takes_otherwise: int | None
    counts: dict[str, int]
    messages: list[RehearsedOut]
    nearly: int
    nearly_messages: list[NearlyOut]
    earlier: list[EarlierOut]
    risks: list[str]
    examples: list[ExampleOut]
    changes: list[str]
    sentence: list[PhraseOut]


class MarkedPath(Described):
    """Which message."""

    message_id: QueryNumber


class MarkedOut(Answer):
    """A message opened beside a rule: its text whole, and every piece that speaks for the rule.

    A piece of the subject or of the text (``body``) has the whole of it as its value.
    """

    message: MailOut
    text: str
    taken: bool
    evidence: list[EvidenceOut]


def _evidence(pieces: tuple[object, ...]) -> list[EvidenceOut]:
    return [EvidenceOut.of(piece) for piece in pieces]  # type: ignore[arg-type] # pieces of evidence


def _mail(message: StoredMessage) -> MailOut:
    row = message.row
    return MailOut(
        id=message.id,
        subject=row.subject,
        sender_name=row.sender_name,
        sender_address=row.sender_address,
        received=datetime.fromtimestamp(row.received_at, UTC),
        folder_id=row.folder_id,
        folder=message.state.folder,
    )


def _rehearsed(rehearsal: Rehearsal) -> list[RehearsedOut]:
    return [
        RehearsedOut(
            message=_mail(taken.message),
            evidence=_evidence(taken.evidence),
            stays=taken.stays,
        )
        for taken in rehearsal.first
    ]


def _nearly(rehearsal: Rehearsal) -> list[NearlyOut]:
    return [
        NearlyOut(
            message=_mail(missed.message),
            evidence=_evidence(missed.evidence),
            missing=missed.missing,
        )
        for missed in rehearsal.first_nearly
    ]


def _rule(body: RehearsalIn) -> Rule:
    return Rule(
        name=body.name.strip() or "rehearsal",
        enabled=body.enabled,
        runs=tuple(body.runs),
        accounts=tuple(body.accounts),
        active=body.active,
        when=body.when,
        unless=body.unless,
        then=tuple(body.then) or (NotifyAction(do="notify"),),  # changes nothing
        stop=body.stop,
    )


def _examples(
    session: Session, above: list[StoredRule], rule: Rule, pins: list[PinModel], now: datetime
) -> list[ExampleOut]:
    if not pins:
        return []
    stored = StoredRule(0, rule)
    pinned = {0: [Pin(pin.message_id, pin.wanted) for pin in pins]}
    return [
        ExampleOut(message=_mail(example.message), wanted=example.wanted, wrong=example.wrong)
        for example in check_examples(session, [*above, stored], pinned, now=now)
    ]


def _earlier(above: Earlier, names: dict[int, str]) -> EarlierOut:
    return EarlierOut.telling(above, name=names[above.rule_id])


def _sentence(body: RehearsalIn) -> list[PhraseOut]:
    phrases = sentence(
        body.when,
        body.unless,
        body.then,
        stop=body.stop,
        runs=body.runs,
        accounts=body.accounts,
        active=body.active,
    )
    return [PhraseOut.model_validate(phrase) for phrase in phrases]


def _answer(session: Session, body: RehearsalIn) -> RehearsalOut:
    line, rule, now = list_rules(session), _rule(body), datetime.now(UTC)
    ids = [stored.id for stored in line]
    saved = line[ids.index(body.rule_id)] if body.rule_id in ids else None
    above = line if saved is None else line[: ids.index(saved.id)]
    rehearsal = rehearse(
        session,
        rule,
        now=now,
        limit=body.limit,
        above=above,
        rule_id=body.rule_id,
        seconds=_GLANCE if body.patience == "glance" else None,
        check=still_asked(),
    )
    names, paths = {stored.id: stored.rule.name for stored in line}, folder_paths(session)
    return RehearsalOut.telling(
        rehearsal,
        elsewhere=[ElsewhereOut(folder=paths[key], messages=n) for key, n in rehearsal.elsewhere],
        messages=_rehearsed(rehearsal),
        nearly_messages=_nearly(rehearsal),
        earlier=[_earlier(above, names) for above in rehearsal.earlier],
        examples=_examples(session, above, rule, body.pins, now),
        changes=[] if saved is None else list(changes_between(saved.rule, rule)),
        sentence=_sentence(body),
    )


def _marked(session: Session, message_id: int, rule: Rule) -> MarkedOut | None:
    message = next(stored_messages(session, iter([message_id])), None)
    if message is None or message_row(session, message_id) is None:
        return None
    tried = try_on(session, rule, message, now=datetime.now(UTC))
    return MarkedOut(
        message=_mail(message),
        text=message.body,
        taken=tried.took,
        evidence=_evidence(tuple(evidence_of(tried.when, partly=True, whole=True))),
    )


def rehearsal_blueprint(database: Database) -> APIBlueprint:
    """The rehearsal."""
    blueprint = APIBlueprint(
        "rehearsal", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    @blueprint.post(
        "/api/rehearsal/messages/<int:message_id>",
        summary="A message with all that speaks for the rule marked",
        responses={200: MarkedOut},
    )
    def marked(path: MarkedPath, body: RehearsalIn) -> Response:
        with database.reading() as session:
            rehearsal = _marked(session, path.message_id, _rule(body))
            return not_found("message") if rehearsal is None else json_body(rehearsal)

    @blueprint.post(
        "/api/rehearsal", summary="What a rule would take", responses={200: RehearsalOut}
    )
    def rehearsal(body: RehearsalIn) -> Response:
        with database.reading() as session:
            return json_body(_answer(session, body))

    return blueprint
