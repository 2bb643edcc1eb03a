"""The line as a whole: its order, acts on several rules, the order check and its remedies."""

import time
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Literal

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Number, QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.messages import MessageOut, message_summaries
from mnemic.api.problem import ProblemDetails, not_found, problem_response
from mnemic.api.rules import LineChangeOut, line_change, refused_for_examples
from mnemic.api.withdrawn import LongQuestions
from mnemic.jobs.line.line_changes import (
    LineChange,
    copy_rules,
    delete_rules,
    move_rules,
    switch_rules,
)
from mnemic.jobs.line.order_findings import Finding, RemedyKind, check_order
from mnemic.jobs.line.remedies import remedy
from mnemic.jobs.rehearsal.examples import check_examples
from mnemic.store import Database
from mnemic.store.line.pins import pins_of_rules
from mnemic.store.line.rules import StoredRule, list_rules
from mnemic.store.mail.listing import rows_of

__all__ = ["line_blueprint"]

#: Findings that are told in full: nobody mends more at a time.
_TOLD = 100


class OrderIn(Described):
    """Every rule's id, in the new order."""

    ids: list[Number]
    anyway: bool = Field(False, description="though examples of rules break")


class LineActIn(Described):
    """What to do to some rules."""

    ids: list[Number] = Field(min_length=1)
    do: Literal["switch_on", "switch_off", "copy", "delete"]
    anyway: bool = Field(False, description="though examples of other rules break")


class FindingOut(Answer):
    """Something about a rule's place in the line, the messages concerned, and what mends it.

    ``by`` are the rules it is about besides, ``messages`` how many are concerned.
    """

    kind: str
    rule_id: int
    by: list[int]
    saying: str
    messages: int
    newest: list[MessageOut]
    remedies: list[RemedyKind]


class BrokenOut(Answer):
    """An example of a rule that is not as it must be."""

    rule_id: int
    message: MessageOut
    wanted: bool
    wrong: str


class CheckOut(Answer):
    """What the order check finds, from top to bottom, and the examples that are broken.

    ``findings`` are the first ones, and all of the rule that was asked about; ``total`` is how many
    there are, and ``rule_ids`` are the rules that they are of.
    """

    findings: list[FindingOut]
    total: int
    rule_ids: list[int]
    broken: list[BrokenOut]


class RemedyIn(Described):
    """A remedy for a finding, on one click."""

    kind: RemedyKind
    rule_id: Number
    other_id: Number | None = None


class CheckQuery(Described):
    """The rule that is open, if one is."""

    rule_id: QueryNumber | None = None


def _findings(session: Session, findings: Sequence[Finding]) -> list[FindingOut]:
    """The findings with the newest messages of each, which are looked up together."""
    ids = {key for finding in findings for key in finding.newest}
    summaries = {
        summary.id: summary for summary in message_summaries(session, rows_of(session, list(ids)))
    }
    return [
        FindingOut.telling(
            finding, newest=[summaries[key] for key in finding.newest if key in summaries]
        )
        for finding in findings
    ]


def _broken(session: Session, line: list[StoredRule], now: datetime) -> list[BrokenOut]:
    broken_examples = [
        example
        for example in check_examples(session, line, pins_of_rules(session), now=now)
        if example.wrong and example.rule.rule.enabled
    ]
    summaries = message_summaries(
        session, rows_of(session, [broken.message.id for broken in broken_examples])
    )
    return [
        BrokenOut(rule_id=broken.rule.id, message=summary, wanted=broken.wanted, wrong=broken.wrong)
        for broken, summary in zip(broken_examples, summaries, strict=True)
    ]


def _act(session: Session, body: LineActIn, at: int) -> LineChange:
    if body.do == "copy":
        return copy_rules(session, body.ids, at=at)
    if body.do == "delete":
        return delete_rules(session, body.ids, at=at)
    return switch_rules(session, body.ids, on=body.do == "switch_on", at=at)


def _afterwards(line: list[StoredRule], body: LineActIn) -> list[StoredRule]:
    """The line as an act would leave it, as far as it matters for examples."""
    ids = set(body.ids)
    if body.do in ("copy", "delete"):
        return [stored for stored in line if body.do == "copy" or stored.id not in ids]
    enabled = {"enabled": body.do == "switch_on"}
    return [
        StoredRule(stored.id, stored.rule.model_copy(update=enabled))
        if stored.id in ids
        else stored
        for stored in line
    ]


def line_blueprint(database: Database) -> APIBlueprint:
    """The line as a whole."""
    blueprint = APIBlueprint(
        "line",
        __name__,
        abp_responses={404: ProblemDetails, 409: ProblemDetails, 422: ProblemDetails},
    )

    @blueprint.put(
        "/api/rules/order", summary="Put the rules in order", responses={200: LineChangeOut}
    )
    def order(body: OrderIn) -> Response:
        with database.writing() as session:
            line = list_rules(session)
            stored = {rule.id: rule for rule in line}
            if sorted(body.ids) != sorted(stored):
                detail = "The rules have changed meanwhile; look at the line again, then reorder."
                return problem_response(409, "Out of date", detail)
            if not body.anyway:
                after = [stored[key] for key in body.ids]
                refused = refused_for_examples(session, line, after, pins_of_rules(session))
                if refused is not None:
                    return refused
            done = move_rules(session, body.ids, at=int(time.time()))
            assert done is not None  # noqa: S101 -- every rule is named once
            return json_body(line_change(session, done))

    _add_acts(blueprint, database)
    _add_check(blueprint, database)
    return blueprint


def _add_acts(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.post(
        "/api/rules/acts", summary="Do something to rules", responses={200: LineChangeOut}
    )
    def act(body: LineActIn) -> Response:
        with database.writing() as session:
            line = list_rules(session)
            if not body.anyway:
                after = _afterwards(line, body)
                refused = refused_for_examples(session, line, after, pins_of_rules(session))
                if refused is not None:
                    return refused
            return json_body(line_change(session, _act(session, body, int(time.time()))))


def _add_check(blueprint: APIBlueprint, database: Database) -> None:
    checks = LongQuestions()

    @blueprint.get("/api/rules/check", summary="The order check", responses={200: CheckOut})
    def check(query: CheckQuery) -> Response:
        with checks.in_turn() as asked, database.reading() as session:
            now = datetime.now(UTC)
            findings = check_order(session, now=now, check=asked)
            in_full = findings[:_TOLD] + [e for e in findings[_TOLD:] if e.rule_id == query.rule_id]
            answer = CheckOut(
                findings=_findings(session, in_full),
                total=len(findings),
                rule_ids=list(dict.fromkeys(finding.rule_id for finding in findings)),
                broken=_broken(session, list_rules(session), now),
            )
        return json_body(answer)

    @blueprint.post(
        "/api/rules/remedies", summary="Mend what was found", responses={200: LineChangeOut}
    )
    def mend(body: RemedyIn) -> Response:
        with database.writing() as session:
            done = remedy(session, body.kind, body.rule_id, body.other_id, at=int(time.time()))
            if done is None:
                return not_found("rule")
            return json_body(line_change(session, done))
