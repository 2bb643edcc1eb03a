"""Rules: the line, one rule, its versions and examples."""

import time
from collections.abc import Sequence
from datetime import UTC, datetime

from flask import Response, request
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Number, QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.problem import ProblemDetails, ProblemType, not_found, problem_response
from mnemic.api.rule_etags import rule_digest, version_of
from mnemic.core import Problem, Rule
from mnemic.core.rules.differences import changes_between
from mnemic.core.rules.sentence import sentence_of
from mnemic.jobs.line.line_changes import LineChange, change_rule, make_rule
from mnemic.jobs.rehearsal.examples import broken_examples
from mnemic.store import Database
from mnemic.store.line.pins import Pin, change_pins, pins_of_rules
from mnemic.store.line.rule_versions import versions_of
from mnemic.store.line.rule_work import put_back_by_hand, work_of
from mnemic.store.line.rules import StoredRule, get_rule, list_rules
from mnemic.store.line.taken_mail import taken_since
from mnemic.store.mail.folders import folders_with_role
from mnemic.store.mail.listing import count_since
from mnemic.store.owner.preferences import read_preferences

__all__ = ["LineChangeOut", "PinModel", "line_change", "refused_for_examples", "rules_blueprint"]

#: The days that counts in the line speak of, today being the last.
_DAYS = 30

#: Messages that can be pinned to one rule; more would be a list, not examples.
_MOST_PINS = 200


class PinModel(Described):
    """A message that a rule must take (``wanted``), or must not."""

    message_id: Number
    wanted: bool


class RuleOut(Answer):
    """A rule of the line; ``taken`` is how many messages it took in 30 days.

    ``version`` is the entity tag to change it by (``If-Match``; RFC 9110, section 13.1.1).
    """

    id: int
    rule: Rule
    version: str
    taken: int
    pins: list[PinModel]


class LineOut(Answer):
    """The line, from top to bottom.

    Of the mail that ``arrived`` in 30 days, ``stay`` messages are in the inbox.
    """

    rules: list[RuleOut]
    arrived: int
    stay: int


class LineChangeOut(Answer):
    """What was done to the line: in words, the run to undo it, the rules that were made or changed.

    ``changes`` says what differs from before, where one rule was changed.
    """

    run_id: int | None
    saying: str
    rules: list[RuleOut]
    changes: list[str] = Field([])


class RuleIn(Described):
    """A rule to save, with its examples."""

    rule: Rule
    pins: list[PinModel] = Field([], max_length=_MOST_PINS)
    anyway: bool = Field(False, description="save it though examples of rules break")


class RulePath(Described):
    """Which rule."""

    rule_id: QueryNumber


class RuleWorkOut(Answer):
    """How many messages a rule took: today, in 7 days and in 30, and on each of those 30 days.

    ``last`` is when it took one last. ``put_back`` is for how many of them a person took its work
    back in the 30 days, since it was last changed.
    """

    today: int
    week: int
    month: int
    days: list[int]
    last: datetime | None
    put_back: int


class VersionOut(Answer):
    """A rule as it was saved then (null: from the start), and what had changed, in words."""

    at: datetime | None
    saying: str
    rule: Rule
    sentence: str
    changes: list[str]


class VersionsOut(Answer):
    """Every version of a rule, the newest first."""

    versions: list[VersionOut]


def _midnights(session: Session) -> list[int]:
    return read_preferences(session).midnights(int(time.time()), _DAYS)


def _rules_out(session: Session, rules: Sequence[StoredRule]) -> list[RuleOut]:
    taken, pins = taken_since(session, _midnights(session)[0]), pins_of_rules(session)
    return [
        RuleOut(
            id=stored.id,
            rule=stored.rule,
            version=version_of(stored.rule, pins.get(stored.id, ())),
            taken=taken.get(stored.id, 0),
            pins=[
                PinModel.model_validate(pin, from_attributes=True)
                for pin in pins.get(stored.id, ())
            ],
        )
        for stored in rules
    ]


def line_change(session: Session, done: LineChange, changes: Sequence[str] = ()) -> LineChangeOut:
    """What was done to the line, as an answer."""
    return LineChangeOut.telling(done, rules=_rules_out(session, done.rules), changes=list(changes))


def refused_for_examples(
    session: Session, before: list[StoredRule], after: list[StoredRule], pins: dict[int, list[Pin]]
) -> Response | None:
    """The answer where a change of the line would break examples; None where it breaks none."""
    broken = broken_examples(session, before, after, pins, now=datetime.now(UTC))
    if not broken:
        return None
    problems = [
        Problem(
            f"rules[{example.rule.id}].examples[{example.message.id}]",
            f"“{example.message.subject or 'No subject'}” {example.wrong}",
        )
        for example in broken
    ]
    count = "An example" if len(broken) == 1 else f"{len(broken)} examples"
    rules = " and ".join(dict.fromkeys(f"“{example.rule.rule.name}”" for example in broken))
    verb = "is" if len(broken) == 1 else "are"
    detail = f"{count} of {rules} {verb} no longer as pinned"
    kind: ProblemType = "tag:mnemic.example,2026:examples-break"
    return problem_response(409, "Examples break", detail, problems, kind=kind)


def _changed_meanwhile(session: Session, now: StoredRule) -> Response | None:
    """The answer where the page began with another version than this; None where it did not.

    Whoever names no version means whichever there is.
    """
    known = request.if_match
    version = version_of(now.rule, pins_of_rules(session).get(now.id, ()))
    if not known or known.star_tag or known.contains(version):
        return None
    begun = next(
        (
            saved.rule
            for saved in versions_of(session, now.id)
            if any(tag.startswith(rule_digest(saved.rule)) for tag in known.as_set())
        ),
        None,
    )
    changes = changes_between(begun, now.rule) if begun is not None else ()
    said = "; ".join(changes) or "its examples, or more than can be told"
    detail = f"This rule was changed meanwhile, perhaps in another tab: {said}."
    kind: ProblemType = "tag:mnemic.example,2026:changed-meanwhile"
    return problem_response(412, "Changed meanwhile", detail, kind=kind)


def _save(session: Session, body: RuleIn, rule_id: int | None) -> Response:
    """Put a rule into the line, or in place of the one with that id."""
    now, before = int(time.time()), list_rules(session)
    old = next((rule for rule in before if rule.id == rule_id), None)
    if rule_id is not None and old is None:
        return not_found("rule")
    if old is not None and (refused := _changed_meanwhile(session, old)) is not None:
        return refused
    pins = [Pin(pin.message_id, pin.wanted) for pin in body.pins]
    stored = StoredRule(rule_id or 0, body.rule)
    after = [stored if rule.id == rule_id else rule for rule in before]
    if old is None:
        after.append(stored)
    if not body.anyway:
        checked = pins_of_rules(session) | {stored.id: pins}
        refused = refused_for_examples(session, before, after, checked)
        if refused is not None:
            return refused
    if old is None:
        done = make_rule(session, body.rule, at=now)
        changes: tuple[str, ...] = ()
    else:
        changed = change_rule(session, old.id, body.rule, at=now)
        assert changed is not None  # noqa: S101 -- it has just been seen
        done, changes = changed, changes_between(old.rule, body.rule)
    change_pins(session, done.rules[0].id, pins)
    answer = line_change(session, done, changes)
    response = json_body(answer, 201 if old is None else 200)
    response.set_etag(answer.rules[0].version)
    return response


def rules_blueprint(database: Database) -> APIBlueprint:
    """The line."""
    blueprint = APIBlueprint(
        "rules",
        __name__,
        abp_responses={
            404: ProblemDetails,
            409: ProblemDetails,
            412: ProblemDetails,
            422: ProblemDetails,
        },
    )

    @blueprint.get("/api/rules", summary="The line", responses={200: LineOut})
    def line() -> Response:
        with database.reading() as session:
            since = _midnights(session)[0]
            rules = _rules_out(session, list_rules(session))
            arrived = count_since(session, since)
            stay = sum(
                count_since(session, since, folder_id=inbox)
                for inbox in folders_with_role(session, "inbox")
            )
        return json_body(LineOut(rules=rules, arrived=arrived, stay=stay))

    @blueprint.post("/api/rules", summary="A new rule", responses={201: LineChangeOut})
    def add(body: RuleIn) -> Response:
        with database.writing() as session:
            return _save(session, body, None)

    @blueprint.put(
        "/api/rules/<int:rule_id>", summary="Change a rule", responses={200: LineChangeOut}
    )
    def change(path: RulePath, body: RuleIn) -> Response:
        with database.writing() as session:
            return _save(session, body, path.rule_id)

    _add_more(blueprint, database)
    return blueprint


def _work(session: Session, rule_id: int) -> RuleWorkOut:
    midnights = _midnights(session)
    work = work_of(session, rule_id, midnights)
    return RuleWorkOut(
        today=work.days[-1],
        week=work.week,
        month=work.whole,
        days=list(work.days),
        last=None if work.last is None else datetime.fromtimestamp(work.last, UTC),
        put_back=len(put_back_by_hand(session, midnights[0]).get(rule_id, [])),
    )


def _add_more(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.get(
        "/api/rules/<int:rule_id>/work",
        summary="What a rule has done, also one that has been deleted",
        responses={200: RuleWorkOut},
    )
    def work(path: RulePath) -> Response:
        # A page may ask just when the rule goes: what it did is known, or it did nothing.
        with database.reading() as session:
            return json_body(_work(session, path.rule_id))

    @blueprint.get(
        "/api/rules/<int:rule_id>/versions",
        summary="How a rule was before",
        responses={200: VersionsOut},
    )
    def versions(path: RulePath) -> Response:
        with database.reading() as session:
            stored = get_rule(session, path.rule_id)
            versions = versions_of(session, path.rule_id)
        if stored is None:
            return not_found("rule")
        before = [version.rule for version in versions[1:]]
        changes = [
            changes_between(old, new.rule) for old, new in zip(before, versions, strict=False)
        ]
        return json_body(
            VersionsOut(
                versions=[
                    VersionOut.telling(
                        version, sentence=sentence_of(version.rule), changes=list(said)
                    )
                    for version, said in zip(versions, [*changes, ()], strict=False)
                ]
            )
        )
