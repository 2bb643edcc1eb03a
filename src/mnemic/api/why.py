"""Why: what the line makes of a message now, condition by condition; what messages share."""

from collections.abc import Iterator
from datetime import UTC, datetime

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.changes import WhichIn, selection_of
from mnemic.api.described import Described
from mnemic.api.given import QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.messages import EvidenceOut
from mnemic.api.problem import ProblemDetails, not_found
from mnemic.core import Event, Outcome
from mnemic.core.evaluation.matching import TestTrail
from mnemic.core.evaluation.nearly import distance
from mnemic.core.evaluation.outcome import ActionTrail, RuleTrail
from mnemic.core.rules import GROUPS, Test
from mnemic.core.rules.sentence import condition_saying
from mnemic.jobs.people.what_if import what_if
from mnemic.jobs.rehearsal.proposals import propose
from mnemic.jobs.shared.excerpts import excerpt
from mnemic.store import Database
from mnemic.store.line.rules import StoredRule
from mnemic.store.mail.messages import message_row
from mnemic.store.search.selection import selected_ids

__all__ = ["why_blueprint"]


class MessagePath(Described):
    """Which message."""

    message_id: QueryNumber


class TriedTestOut(Answer):
    """A condition or a bracket of a rule, whether it held, and on what evidence.

    ``depth`` is how many brackets it stands in; ``part`` is when or unless.
    """

    part: str
    depth: int
    saying: str
    held: bool
    evidence: EvidenceOut | None


class TriedRuleOut(Answer):
    """A rule that was tried: whether it took the message, and why.

    ``done`` is what it would do in words, ``not_done`` what it would not, and why. ``away`` is by
    how few conditions it misses the message; null where it could not take it.
    """

    rule_id: int
    name: str
    took: bool
    done: list[str]
    not_done: list[str]
    away: int | None
    tests: list[TriedTestOut]


class WhatIfOut(Answer):
    """What would become of the message if it came in now.

    ``tried`` are the rules in their order, as far as the message got; ``place`` is where it would
    be put, in words.
    """

    event: str
    place: str
    stopped_by: str | None
    tried: list[TriedRuleOut]


class ProposalOut(Answer):
    """A condition that takes all of the messages, and how many others it would take, too."""

    about: str
    text: str
    called: str
    condition: Test
    others: int
    picked: bool


class ProposalsOut(Answer):
    """What messages have in common, the narrowest condition first."""

    messages: int
    proposals: list[ProposalOut]


# `Test` names the groups by name, since they hold tests themselves.
ProposalOut.model_rebuild(_types_namespace={group.__name__: group for group in GROUPS})


class CommonIn(Described):
    """Which messages."""

    which: WhichIn = Field(description="the messages that a rule is to be made for")


_BRACKETS = {
    "all": "all of these",
    "any": "any of these",
    "not": "not so",
    "always": "every message",
}


def _tests(trail: TestTrail, part: str, depth: int = 0) -> Iterator[TriedTestOut]:
    condition = trail.condition
    yield TriedTestOut(
        part=part,
        depth=depth,
        saying=_BRACKETS[trail.kind] if condition is None else condition_saying(condition),
        held=trail.held,
        evidence=None if trail.evidence is None else EvidenceOut.of(excerpt(trail.evidence)),
    )
    for inner in trail.inside:
        yield from _tests(inner, part, depth + 1)


def _is_done(action: ActionTrail) -> bool:
    return action.overruled_by is None and action.held_back is None


def _why_not(action: ActionTrail) -> str:
    refusal = f"not {action.action.deed()}"
    if action.overruled_by is None:
        return f"{refusal}, because {action.held_back}"
    return f"{refusal}: “{action.overruled_by}” comes first"


def _tried(line: list[StoredRule], trail: RuleTrail) -> TriedRuleOut:
    tests = list(_tests(trail.when, "when"))
    if trail.unless is not None:
        tests += _tests(trail.unless, "unless")
    if trail.active is not None:
        tests += _tests(trail.active, "active")
    stored = line[trail.position]
    return TriedRuleOut(
        rule_id=stored.id,
        name=trail.name,
        took=trail.took,
        done=[action.action.saying for action in trail.actions if _is_done(action)],
        not_done=[_why_not(action) for action in trail.actions if not _is_done(action)],
        away=distance(trail),
        tests=tests,
    )


_PLACES = {
    "inbox": "stays in the inbox",
    "archive": "goes to the archive",
    "trash": "goes to the trash",
    "erased": "is erased",
}


def _place(outcome: Outcome) -> str:
    if outcome.folder is not None:
        return f"goes to {outcome.folder.replace('/', ' / ')}"
    return "stays where it is" if outcome.place is None else _PLACES[outcome.place]


def _what_if(event: Event, line: list[StoredRule], outcome: Outcome) -> WhatIfOut:
    return WhatIfOut(
        event=event,
        place=_place(outcome),
        stopped_by=outcome.stopped_by,
        tried=[_tried(line, rule) for rule in outcome.trail],
    )


def _in_common(session: Session, body: CommonIn) -> ProposalsOut:
    ids = selected_ids(session, selection_of(session, body.which))[::-1]
    return ProposalsOut(
        messages=len(ids),
        proposals=[
            ProposalOut.telling(proposal.fact, others=proposal.others, picked=proposal.picked)
            for proposal in propose(session, ids, now=datetime.now(UTC))
        ],
    )


def why_blueprint(database: Database) -> APIBlueprint:
    """Why a message is where it is, and what several share."""
    blueprint = APIBlueprint(
        "why", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    @blueprint.get(
        "/api/messages/<int:message_id>/what-if",
        summary="Which rule would take it now",
        responses={200: WhatIfOut},
    )
    def now(path: MessagePath) -> Response:
        with database.reading() as session:
            if message_row(session, path.message_id) is None:
                return not_found("message")
            outcome_now = what_if(session, path.message_id, now=datetime.now(UTC))
        return not_found("message") if outcome_now is None else json_body(_what_if(*outcome_now))

    @blueprint.post(
        "/api/facts/common", summary="What messages have in common", responses={200: ProposalsOut}
    )
    def common(body: CommonIn) -> Response:
        with database.reading() as session:
            return json_body(_in_common(session, body))

    return blueprint
