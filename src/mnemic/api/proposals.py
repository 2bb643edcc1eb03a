"""Rules that would do what the owner does by hand."""

from collections.abc import Callable
from datetime import UTC, datetime

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Number
from mnemic.api.json_body import json_body
from mnemic.api.problem import ProblemDetails
from mnemic.api.withdrawn import LongQuestions
from mnemic.core.proposals import Proposal
from mnemic.core.proposals.message_set import ids_in
from mnemic.core.proposals.proposing import Why
from mnemic.core.rules import Rule
from mnemic.core.rules.sentence import phrases_of
from mnemic.jobs.insights.offers import note_offer, offer_after
from mnemic.jobs.insights.proposals import evidence_for, proposals_for_owner
from mnemic.jobs.insights.starts import starts_for
from mnemic.store import Database
from mnemic.store.engine.reader_cache import remembered
from mnemic.store.mail.messages import message_row

__all__ = ["proposals_blueprint"]


class SaidOut(Answer):
    """A piece of a sentence; ``strong`` marks what tells this rule from others."""

    text: str
    strong: bool


class LeftOut(Answer):
    """The newest message with which the owner did not do it."""

    id: int
    subject: str | None


class RuleProposalOut(Answer):
    """A rule, and the evidence for it: of ``of`` messages the owner did it with ``did``.

    Where mail ``waits``, ``did`` were read within a day. ``takes`` is what the rule takes of all
    mail; ``what`` names it where it is turned away, with ``evidence``.
    """

    what: str
    evidence: int
    why: Why
    rule: Rule
    sentence: list[SaidOut]
    did: int
    of: int
    takes: int
    left: LeftOut | None


class RuleProposalsOut(Answer):
    """Proposals, the surest first."""

    proposals: list[RuleProposalOut]


def _left(session: Session, proposal: Proposal) -> LeftOut | None:
    newest = max(ids_in(proposal.counted.of & ~proposal.counted.did), default=None)
    row = None if newest is None else message_row(session, newest)
    return None if row is None else LeftOut(id=row.id or 0, subject=row.subject)


def _told(session: Session, proposal: Proposal) -> RuleProposalOut:
    return RuleProposalOut(
        what=proposal.key,
        evidence=evidence_for(proposal),
        why=proposal.why,
        rule=proposal.rule,
        sentence=[SaidOut.model_validate(phrase) for phrase in phrases_of(proposal.rule)],
        did=proposal.counted.did.bit_count(),
        of=proposal.counted.of.bit_count(),
        takes=proposal.counted.taken.bit_count(),
        left=_left(session, proposal) if proposal.why == "by hand" else None,
    )


class StartOut(Answer):
    """A usual rule, what it is for, and how many messages that are here it takes.

    ``look_in_days``: how often to look into the folder that it files in.
    """

    title: str
    rule: Rule
    takes: int
    look_in_days: int | None


class StartsOut(Answer):
    """Usual rules, filled in from the mailbox."""

    starts: list[StartOut]


class OfferIn(Described):
    """What was just done."""

    run_id: Number


class OfferOut(Answer):
    """A rule for what was just done by hand with ``did`` messages; null where none is offered."""

    proposal: RuleProposalOut | None


def _answer(session: Session, check: Callable[[], None]) -> RuleProposalsOut:
    proposals = proposals_for_owner(session, now=datetime.now(UTC), check=check)
    return RuleProposalsOut(proposals=[_told(session, proposal) for proposal in proposals])


def proposals_blueprint(database: Database) -> APIBlueprint:
    """Proposals."""
    long = LongQuestions()
    blueprint = APIBlueprint("proposals", __name__, abp_responses={422: ProblemDetails})

    @blueprint.get(
        "/api/proposals", summary="Rules from what you do", responses={200: RuleProposalsOut}
    )
    def proposals() -> Response:
        with long.in_turn() as check, database.reading() as session:
            return json_body(remembered(session, "proposals", lambda: _answer(session, check)))

    @blueprint.get("/api/starts", summary="Usual rules", responses={200: StartsOut})
    def starts() -> Response:
        with long.in_turn() as check, database.reading() as session:
            usual = starts_for(session, now=datetime.now(UTC), check=check)
        return json_body(StartsOut(starts=[StartOut.model_validate(start) for start in usual]))

    @blueprint.post(
        "/api/offers", summary="A rule for what was just done", responses={200: OfferOut}
    )
    def offered(body: OfferIn) -> Response:
        with database.reading() as session:
            proposal = offer_after(session, body.run_id, now=datetime.now(UTC))
            answer = None if proposal is None else _told(session, proposal)
        if proposal is not None:
            with database.writing() as session:
                note_offer(session, proposal)
        return json_body(OfferOut(proposal=answer))

    return blueprint
