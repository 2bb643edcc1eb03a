"""Rules: the line, one rule, and catching up on mail already here."""

import time

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import BaseModel
from sqlmodel import Session

from mnemic.api.json_body import json_body
from mnemic.api.problem import ProblemDetails, not_found, problem_response
from mnemic.core import Problem, Rule
from mnemic.core.actions import FileAction, LabelAction
from mnemic.jobs import catch_up, mailbox_problems
from mnemic.store import Database
from mnemic.store.folders import ensure_folder, inbox_id
from mnemic.store.labels import ensure_label
from mnemic.store.mailbox import count_since
from mnemic.store.rules import (
    StoredRule,
    add_rule,
    delete_rule,
    get_rule,
    list_rules,
    reorder_rules,
    replace_rule,
    taken_since,
)

__all__ = ["rules_blueprint"]

#: Seconds in the 30 days that counts in the line speak of.
_THIRTY_DAYS = 30 * 86_400


class RuleOut(BaseModel):
    """A rule of the line; ``taken`` is how many messages it took in 30 days."""

    id: int
    rule: Rule
    taken: int


class LineOut(BaseModel):
    """The line, from top to bottom.

    Of the mail that ``arrived`` in 30 days, ``stay`` messages are in the inbox.
    """

    rules: list[RuleOut]
    arrived: int
    stay: int


class OrderIn(BaseModel):
    """Every rule's id, in the new order."""

    ids: list[int]


class RulePath(BaseModel):
    """Which rule."""

    rule_id: int


class CatchUpOut(BaseModel):
    """What a catch-up did."""

    examined: int
    taken: int
    moved: int
    labelled: int
    marked: int
    unchanged: int


def _thirty_days_ago() -> int:
    return int(time.time()) - _THIRTY_DAYS


def _taken(database: Database) -> dict[int, int]:
    with database.reading() as session:
        return taken_since(session, _thirty_days_ago())


def _rule_out(stored: StoredRule, taken: dict[int, int]) -> RuleOut:
    return RuleOut(id=stored.id, rule=stored.rule, taken=taken.get(stored.id, 0))


def rules_blueprint(database: Database) -> APIBlueprint:
    """The line."""
    blueprint = APIBlueprint(
        "rules", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    def saved(stored: StoredRule, status: int) -> Response:
        return json_body(_rule_out(stored, _taken(database)), status)

    @blueprint.post("/api/rules", summary="A new rule", responses={201: RuleOut})
    def add(body: Rule) -> Response:
        if problems := mailbox_problems(body):
            return _beyond(problems)
        with database.writing() as session:
            _make_places(session, body)
            stored = add_rule(session, body)
        return saved(stored, 201)

    @blueprint.put("/api/rules/<int:rule_id>", summary="Change a rule", responses={200: RuleOut})
    def change(path: RulePath, body: Rule) -> Response:
        if problems := mailbox_problems(body):
            return _beyond(problems)
        with database.writing() as session:
            stored = replace_rule(session, path.rule_id, body)
            if stored is None:
                return not_found("rule")
            _make_places(session, body)
        return saved(stored, 200)

    @blueprint.delete("/api/rules/<int:rule_id>", summary="Delete a rule", responses={204: None})
    def delete(path: RulePath) -> Response:
        with database.writing() as session:
            if not delete_rule(session, path.rule_id):
                return not_found("rule")
        return Response(status=204)

    _add_line(blueprint, database)
    _add_runs(blueprint, database)
    return blueprint


def _add_line(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.get("/api/rules", summary="The line", responses={200: LineOut})
    def line() -> Response:
        with database.reading() as session:
            stored, taken = list_rules(session), taken_since(session, _thirty_days_ago())
            arrived = count_since(session, _thirty_days_ago())
            stay = count_since(session, _thirty_days_ago(), folder_id=inbox_id(session))
        rules = [_rule_out(each, taken) for each in stored]
        return json_body(LineOut(rules=rules, arrived=arrived, stay=stay))

    @blueprint.put("/api/rules/order", summary="Put the rules in order", responses={204: None})
    def order(body: OrderIn) -> Response:
        with database.writing() as session:
            if not reorder_rules(session, body.ids):
                detail = "The rules have changed meanwhile; look at the line again, then reorder."
                return problem_response(409, "Out of date", detail)
        return Response(status=204)


def _beyond(problems: list[Problem]) -> Response:
    return problem_response(422, "Not possible yet", "; ".join(map(str, problems)), problems)


def _make_places(session: Session, rule: Rule) -> None:
    """Make the folders and labels that a rule names, so that they can be seen from now on."""
    for action in rule.then:
        if isinstance(action, FileAction):
            ensure_folder(session, action.folder)
        elif isinstance(action, LabelAction):
            ensure_label(session, action.label)


def _add_runs(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.post(
        "/api/rules/<int:rule_id>/catch-up",
        summary="Apply a rule to mail already here",
        responses={200: CatchUpOut},
    )
    def catching_up(path: RulePath) -> Response:
        with database.writing() as session:
            stored = get_rule(session, path.rule_id)
            if stored is None:
                return not_found("rule")
            done = catch_up(session, stored, at=int(time.time()))
        return json_body(CatchUpOut.model_validate(done, from_attributes=True))
