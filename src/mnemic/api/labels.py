"""Labels made, changed and deleted."""

import time

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line
from mnemic.api.json_body import json_body
from mnemic.api.places import DeletedOut, MadeOut, PlacePath
from mnemic.api.problem import ProblemDetails, not_found, problem_response
from mnemic.core.actions import ColourName
from mnemic.core.label_keyword import label_for
from mnemic.jobs.people.folders_and_labels import change_label, delete_label, make_label
from mnemic.store import Database
from mnemic.store.mail.labels import LabelError
from mnemic.store.server.label_keywords import keywords_of_others

__all__ = ["labels_blueprint"]


class LabelIn(Described):
    """A label to be made; without a colour it gets the next free one."""

    name: Line = Field(max_length=100)
    colour: ColourName | None = None


class LabelChange(Described):
    """A label's name and colour."""

    name: Line = Field(max_length=100)
    colour: ColourName


class OthersKeywordOut(Answer):
    """A keyword that messages bear on a server, and the name of the label that it would be."""

    label: str
    messages: int


class OthersKeywordsOut(Answer):
    """Keywords of others, the most borne first."""

    keywords: list[OthersKeywordOut]


def _refused(error: LabelError) -> Response:
    return problem_response(422, "Not possible", f"{error}.")


def labels_blueprint(database: Database) -> APIBlueprint:
    """Labels."""
    blueprint = APIBlueprint(
        "labels", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    @blueprint.post("/api/labels", summary="A new label", responses={201: MadeOut})
    def make(body: LabelIn) -> Response:
        try:
            with database.writing() as session:
                made = make_label(session, body.name, body.colour, at=int(time.time()))
        except LabelError as error:
            return _refused(error)
        return json_body(MadeOut(id=made), 201)

    @blueprint.put("/api/labels/<int:id>", summary="Change a label", responses={204: None})
    def change(path: PlacePath, body: LabelChange) -> Response:
        now = int(time.time())
        try:
            with database.writing() as session:
                there = change_label(session, path.id, name=body.name, colour=body.colour, at=now)
        except LabelError as error:
            return _refused(error)
        return Response(status=204) if there else not_found("label")

    @blueprint.delete("/api/labels/<int:id>", summary="Delete a label", responses={200: DeletedOut})
    def delete(path: PlacePath) -> Response:
        with database.writing() as session:
            run_id = delete_label(session, path.id, at=int(time.time()))
        return not_found("label") if run_id is None else json_body(DeletedOut(run_id=run_id))

    _add_others(blueprint, database)
    return blueprint


def _add_others(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.get(
        "/api/labels/elsewhere", summary="Keywords of others", responses={200: OthersKeywordsOut}
    )
    def elsewhere() -> Response:
        with database.reading() as session:
            keywords = keywords_of_others(session)
        answers = [
            OthersKeywordOut(label=label_for(keyword), messages=count)
            for keyword, count in keywords
        ]
        return json_body(OthersKeywordsOut(keywords=answers))
