"""Folders made, renamed, moved, deleted and looked into."""

import time

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, Number
from mnemic.api.json_body import json_body
from mnemic.api.large_moves import large_move_response
from mnemic.api.places import DeletedOut, MadeOut, PlacePath
from mnemic.api.problem import ProblemDetails, not_found, problem_response
from mnemic.jobs.people.folders_and_labels import delete_folder, make_folder, move_folder
from mnemic.jobs.shared.large_moves import LargeMoveError
from mnemic.jobs.shared.watched import WatchedError
from mnemic.store import Database
from mnemic.store.mail.folders import LOCAL, FolderError, look_into, set_look_in

__all__ = ["folders_blueprint"]


class FolderIn(Described):
    """A folder to be made, by its whole path, in a mailbox (the local one where none is named)."""

    path: Line = Field(max_length=500)
    mailbox_id: Number = LOCAL


class FolderChange(Described):
    """A folder's name and the folder above it (null at the top)."""

    name: Line = Field(max_length=200)
    parent_id: Number | None


class DeleteQuery(Described):
    """Whether to answer with a question where much of the mail would go to the trash."""

    ask_first: bool = False


class MovedOut(Answer):
    """The run that takes a folder back to where, and what, it was."""

    run_id: int


class LookIn(Described):
    """How many days may pass between two looks into a folder; null for no matter how many."""

    days: Number | None = Field(ge=1, le=366)


def _refused(error: FolderError | WatchedError) -> Response:
    return problem_response(422, "Not possible", f"{error}.")


def folders_blueprint(database: Database) -> APIBlueprint:
    """Folders."""
    blueprint = APIBlueprint(
        "folders", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    @blueprint.post("/api/folders", summary="A new folder", responses={201: MadeOut})
    def make(body: FolderIn) -> Response:
        try:
            with database.writing() as session:
                made = make_folder(
                    session, body.path, at=int(time.time()), mailbox_id=body.mailbox_id
                )
        except (FolderError, WatchedError) as error:
            return _refused(error)
        return json_body(MadeOut(id=made), 201)

    @blueprint.put(
        "/api/folders/<int:id>", summary="Rename or move a folder", responses={200: MovedOut}
    )
    def change(path: PlacePath, body: FolderChange) -> Response:
        now = int(time.time())
        try:
            with database.writing() as session:
                run_id = move_folder(
                    session, path.id, name=body.name, parent_id=body.parent_id, at=now
                )
        except (FolderError, WatchedError) as error:
            return _refused(error)
        return not_found("folder") if run_id is None else json_body(MovedOut(run_id=run_id))

    _add_deleting(blueprint, database)
    _add_looks(blueprint, database)
    return blueprint


def _add_deleting(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.delete(
        "/api/folders/<int:id>", summary="Delete a folder", responses={200: DeletedOut}
    )
    def delete(path: PlacePath, query: DeleteQuery) -> Response:
        try:
            with database.writing() as session:
                now, asks = int(time.time()), query.ask_first
                run_id = delete_folder(session, path.id, at=now, ask_first=asks)
        except (FolderError, WatchedError) as error:
            return _refused(error)
        except LargeMoveError as error:
            return large_move_response(error)
        return not_found("folder") if run_id is None else json_body(DeletedOut(run_id=run_id))


def _add_looks(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.post("/api/folders/<int:id>/look", summary="It was opened", responses={204: None})
    def look(path: PlacePath) -> Response:
        with database.writing() as session:
            there = look_into(session, path.id, at=int(time.time()))
        return Response(status=204) if there else not_found("folder")

    @blueprint.put(
        "/api/folders/<int:id>/look-in", summary="How often to look into it", responses={204: None}
    )
    def look_in(path: PlacePath, body: LookIn) -> Response:
        with database.writing() as session:
            there = set_look_in(session, path.id, body.days, at=int(time.time()))
        return Response(status=204) if there else not_found("folder")
