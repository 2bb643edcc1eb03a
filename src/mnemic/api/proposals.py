"""Rules that would do what the owner does by hand."""

from datetime import UTC, datetime

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.json_body import json_body
from mnemic.api.problem import ProblemDetails
from mnemic.api.withdrawn import still_asked
from mnemic.core.proposals import Proposal
from mnemic.core.proposals.message_set import ids_in
from mnemic.core.proposals.proposing import Why
from mnemic.core.rules import Rule
from mnemic.core.sentence import phrases_of
from mnemic.jobs.insights.proposals import evidence_for, proposals_for_owner
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
    newest = max(ids_in(proposal.of & ~proposal.did), default=None)
    row = None if newest is None else message_row(session, newest)
    return None if row is None else LeftOut(id=row.id or 0, subject=row.subject)


def _told(session: Session, proposal: Proposal) -> RuleProposalOut:
    return RuleProposalOut(
        what=proposal.key,
        evidence=evidence_for(proposal),
        why=proposal.why,
        rule=proposal.rule,
        sentence=[SaidOut.model_validate(each) for each in phrases_of(proposal.rule)],
        did=proposal.did.bit_count(),
        of=proposal.of.bit_count(),
        takes=proposal.taken.bit_count(),
        left=_left(session, proposal) if proposal.why == "by hand" else None,
    )


def _answer(session: Session) -> RuleProposalsOut:
    found = proposals_for_owner(session, now=datetime.now(UTC), check=still_asked())
    return RuleProposalsOut(proposals=[_told(session, each) for each in found])


def proposals_blueprint(database: Database) -> APIBlueprint:
    """Proposals."""
    blueprint = APIBlueprint("proposals", __name__, abp_responses={422: ProblemDetails})

    @blueprint.get(
        "/api/proposals", summary="Rules from what you do", responses={200: RuleProposalsOut}
    )
    def proposals() -> Response:
        with database.reading() as session:
            return json_body(remembered(session, "proposals", lambda: _answer(session)))

    return blueprint
