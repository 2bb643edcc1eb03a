"""Rule documents in and out, and the JSON Schema that describes them."""

import json
import time

from flask import Response, request
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.problem import FieldError, ProblemDetails, problem_response
from mnemic.api.rules import LineChangeOut, line_change
from mnemic.core import RuleDocumentError
from mnemic.core.rule_differences import changes_between
from mnemic.core.rule_schema import rule_schema
from mnemic.core.sentence import sentence_of
from mnemic.jobs.line.rule_documents import Incoming, compare_document, document_of, take_document
from mnemic.store import Database

__all__ = ["rule_documents_blueprint"]


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


class PreviewOut(Answer):
    """What taking a document in would do to the line; nothing has been done.

    ``refused`` is everything that is wrong in it: then it is refused as a whole.
    """

    added: list[SaidRuleOut] = Field([])
    changed: list[ChangedRuleOut] = Field([])
    alike: list[str] = Field([])
    refused: list[FieldError] = Field([])


def _refused(error: RuleDocumentError) -> Response:
    detail = "The document is refused as a whole: nothing was taken in"
    return problem_response(422, "Not a rule document", detail, error.problems)


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

    _add_taking_in(blueprint, database)
    return blueprint


def _previewed(incoming: Incoming) -> PreviewOut:
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
    )


def _add_taking_in(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.post(
        "/api/rules/document/preview",
        summary="What a rule document would change",
        responses={200: PreviewOut},
    )
    def preview() -> Response:
        try:
            with database.reading() as session:
                incoming = compare_document(session, request.get_data())
        except RuleDocumentError as error:
            problems = [FieldError(path=e.path, message=e.message) for e in error.problems]
            return json_body(PreviewOut(refused=problems))
        return json_body(_previewed(incoming))

    @blueprint.post(
        "/api/rules/document", summary="Take a rule document in", responses={200: LineChangeOut}
    )
    def take() -> Response:
        try:
            with database.writing() as session:
                done = take_document(session, request.get_data(), at=int(time.time()))
                return json_body(line_change(session, done))
        except RuleDocumentError as error:
            return _refused(error)
