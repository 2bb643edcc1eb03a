"""Rules in and out: as documents, with the JSON Schema that describes them, and as Sieve."""

import json
import time
from collections.abc import Iterable, Sequence
from typing import Literal, NamedTuple

from flask import Response, request
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.problem import FieldError, ProblemDetails, problem_response
from mnemic.api.rules import LineChangeOut, line_change
from mnemic.core import Problem, Rule, RuleDocumentError, read_rule_document
from mnemic.core.rules.differences import changes_between
from mnemic.core.rules.schema import rule_schema
from mnemic.core.rules.sentence import sentence_of
from mnemic.core.sieve import FOLDED, FOLDING, Grade, RuleGrade, Script, SieveError, written_script
from mnemic.jobs.line.rule_documents import (
    Incoming,
    compare_rules,
    document_of,
    rules_of_script,
    take_incoming,
)
from mnemic.jobs.server.script_setting import script_setting
from mnemic.store import Database

__all__ = ["GradeOut", "graded", "rule_documents_blueprint"]


class DocumentQuery(Described):
    """Which rules: all, or those with these ids."""

    ids: list[QueryNumber] | None = None


class SaidRuleOut(Answer):
    """A rule, read back as a sentence."""

    name: str
    sentence: str


class ChangedRuleOut(SaidRuleOut):
    """A rule of the line that a document would change, and what about it."""

    changes: list[str]


class GradeOut(Answer):
    """How near a rule and a script come to each other: "same", "close", or "no".

    ``why`` says where they differ; ``written`` tells that the script does something for the rule.
    """

    name: str
    grade: Literal["same", "close", "no"]
    why: list[str]
    written: bool


class ScriptOut(Answer):
    """The line as a Sieve script, with the grade of every rule and what a server has to be able to.

    ``folding`` is what differs for all texts; it is left out of what is said of each rule.
    """

    text: str
    requires: list[str]
    grades: list[GradeOut]
    folding: str


class PreviewOut(Answer):
    """What taking rules in would do to the line; nothing has been done.

    ``refused`` is everything that is wrong in the file: then it is refused as a whole. ``grades``
    are of a script's rules that differ from what it did.
    """

    added: list[SaidRuleOut] = Field([])
    changed: list[ChangedRuleOut] = Field([])
    alike: list[str] = Field([])
    grades: list[GradeOut] = Field([])
    refused: list[FieldError] = Field([])


#: The media type of scripts (RFC 5228, section 6).
_SCRIPT = "application/sieve"


class _Given(NamedTuple):
    """The rules of a file, and the grades where it is a script."""

    rules: Sequence[Rule]
    grades: Sequence[RuleGrade]


def _given(session: Session) -> _Given:
    """What a request brings. Raises RuleDocumentError or SieveError with all that is wrong."""
    if request.mimetype != _SCRIPT:
        return _Given(read_rule_document(request.get_data()).rules, ())
    read = rules_of_script(session, request.get_data())
    return _Given(read.rules, read.grades)


def _problems(error: RuleDocumentError | SieveError) -> list[Problem]:
    if isinstance(error, RuleDocumentError):
        return list(error.problems)
    return [
        Problem(f"line {problem.line}, column {problem.column}", problem.reason)
        for problem in error.problems
    ]


def _refused(error: RuleDocumentError | SieveError) -> Response:
    detail = "The file is refused as a whole: nothing was taken in"
    return problem_response(422, "Not rules that can be taken", detail, _problems(error))


def graded(grade: RuleGrade) -> GradeOut:
    """A grade as it is told; what differs for all texts is said once, apart."""
    why = [reason for reason in grade.why if reason not in (FOLDING, FOLDED)]
    word: Literal["same", "close", "no"] = grade.grade.word  # type: ignore[assignment] # one of these
    return GradeOut(name=grade.name, grade=word, why=why, written=grade.written)


def rule_documents_blueprint(database: Database) -> APIBlueprint:
    """Rule documents."""
    blueprint = APIBlueprint("rule_documents", __name__, abp_responses={422: ProblemDetails})

    @blueprint.get("/api/rules/document", summary="The line as a rule document")
    def document(query: DocumentQuery) -> Response:
        with database.reading() as session:
            document = document_of(session, query.ids)
        text = document.model_dump_json(by_alias=True, indent=2)
        headers = {"Content-Disposition": "attachment; filename=mnemic-rules.json"}
        return Response(f"{text}\n", mimetype="application/json", headers=headers)

    @blueprint.get("/api/rules/schema", summary="The rule document’s JSON Schema")
    def schema() -> Response:
        return Response(json.dumps(rule_schema(), indent=2), mimetype="application/schema+json")

    @blueprint.get(
        "/api/rules/sieve", summary="The line as a Sieve script", responses={200: ScriptOut}
    )
    def sieve() -> Response:
        script = _script(database)
        return json_body(
            ScriptOut(
                text=script.text,
                requires=list(script.requires),
                grades=list(map(graded, script.grades)),
                folding=FOLDING,
            )
        )

    @blueprint.get("/api/rules/sieve/file", summary="The line as a Sieve script, to be saved")
    def sieve_file() -> Response:
        headers = {"Content-Disposition": "attachment; filename=mnemic-rules.sieve"}
        return Response(_script(database).text, mimetype=_SCRIPT, headers=headers)

    _add_taking_in(blueprint, database)
    return blueprint


def _script(database: Database) -> Script:
    with database.reading() as session:
        return written_script(document_of(session).rules, script_setting(session))


def _previewed(incoming: Incoming, grades: Iterable[RuleGrade]) -> PreviewOut:
    return PreviewOut(
        added=[SaidRuleOut(name=rule.name, sentence=sentence_of(rule)) for rule in incoming.added],
        changed=[
            ChangedRuleOut(
                name=new.name,
                sentence=sentence_of(new),
                changes=list(changes_between(stored.rule, new)),
            )
            for stored, new in incoming.changed
        ],
        alike=[stored.rule.name for stored in incoming.alike],
        grades=[graded(grade) for grade in grades if grade.grade != Grade.SAME],
    )


def _add_taking_in(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.post(
        "/api/rules/document/preview",
        summary="What a rule document, or a script, would change",
        responses={200: PreviewOut},
    )
    def preview() -> Response:
        try:
            with database.reading() as session:
                given = _given(session)
                incoming = compare_rules(session, given.rules)
        except (RuleDocumentError, SieveError) as error:
            problems = [FieldError(path=e.path, message=e.message) for e in _problems(error)]
            return json_body(PreviewOut(refused=problems))
        return json_body(_previewed(incoming, given.grades))

    @blueprint.post(
        "/api/rules/document",
        summary="Take a rule document, or a script, in",
        responses={200: LineChangeOut},
    )
    def take() -> Response:
        try:
            with database.writing() as session:
                done = take_incoming(session, _given(session).rules, at=int(time.time()))
                return json_body(line_change(session, done))
        except (RuleDocumentError, SieveError) as error:
            return _refused(error)
