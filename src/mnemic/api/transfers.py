"""Mail in and out as files: uploads, their progress, and exports."""

import re
import threading
from collections.abc import Iterator
from typing import Literal, Self

from flask import Response, request
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field, model_validator

from mnemic.api.answer import Answer
from mnemic.api.changes import WhichIn, selection_of
from mnemic.api.described import Described
from mnemic.api.given import Line, QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.own_pages import UPLOAD_LIMIT
from mnemic.api.problem import ProblemDetails, not_found, problem_response
from mnemic.jobs.intake.import_desk import ImportDesk, ImportProgress
from mnemic.jobs.people.mail_export import exported_messages
from mnemic.post import mailbox_archive, mbox_octets
from mnemic.store import Database
from mnemic.store.mail.folders import folder_paths

__all__ = ["transfers_blueprint"]

#: Exports at a time: each holds a thread for as long as somebody reads it.
_EXPORTS = 3

_PIECE = 1024 * 1024


class UploadQuery(Described):
    """The file's name, and whether its mail passes through the rules."""

    name: Line = Field(max_length=300)
    sort: bool = True


class ImportOut(Answer):
    """How an import stands; ``done`` is between 0 and 1."""

    id: int
    name: str
    state: Literal["waiting", "running", "finished", "refused"]
    done: float
    taken_in: int
    doubles: int
    problem: str

    @classmethod
    def of(cls, progress: ImportProgress) -> Self:
        """From the desk's value."""
        return cls.model_validate(progress)


class ImportPath(Described):
    """Which import."""

    id: QueryNumber


class ExportQuery(Described):
    """What to export: a folder, a label, or what a search finds; in which format."""

    folder: QueryNumber | None = None
    label: QueryNumber | None = None
    find: Line | None = Field(None, max_length=500)
    format: Literal["mbox", "maildir"] = "mbox"

    @model_validator(mode="after")
    def _one_of_them(self) -> Self:
        if [self.folder, self.label, self.find].count(None) != 2:
            raise ValueError("name one of folder, label and find")
        return self

    @property
    def which(self) -> WhichIn:
        """The same, as changes name it."""
        return WhichIn(folder=self.folder, label=self.label, find=self.find)


def transfers_blueprint(database: Database, desk: ImportDesk) -> APIBlueprint:
    """Uploads and exports."""
    blueprint = APIBlueprint(
        "transfers", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    @blueprint.post("/api/imports", summary="Upload mail", responses={202: ImportOut})
    def upload(query: UploadQuery) -> Response:
        request.max_content_length = UPLOAD_LIMIT
        path = desk.path_for(query.name)
        try:
            with path.open("wb") as file:
                while piece := request.stream.read(_PIECE):
                    file.write(piece)
        except BaseException:
            path.unlink(missing_ok=True)  # its owner still has the file
            raise
        whole = path.rename(path.with_suffix(""))
        return json_body(ImportOut.of(desk.take(whole, query.name, sort=query.sort)), 202)

    @blueprint.get("/api/imports/<int:id>", summary="How it stands", responses={200: ImportOut})
    def progress(path: ImportPath) -> Response:
        progress = desk.progress(path.id)
        return not_found("import") if progress is None else json_body(ImportOut.of(progress))

    _add_export(blueprint, database)
    return blueprint


def _add_export(blueprint: APIBlueprint, database: Database) -> None:
    exports = threading.BoundedSemaphore(_EXPORTS)

    @blueprint.get("/api/export", summary="Mail as an mbox, or as a Maildir in a tar archive")
    def export(query: ExportQuery) -> Response:
        name = _export_name(database, query)
        if not exports.acquire(blocking=False):
            detail = "Other exports are still being read; try again when one of them is done."
            return problem_response(503, "Too many exports", detail)

        def pieces() -> Iterator[bytes]:
            with database.reading() as session:
                messages = exported_messages(session, selection_of(session, query.which))
                if query.format == "mbox":
                    yield from mbox_octets(messages)
                else:
                    yield from mailbox_archive(name, messages)

        file, media_type = (
            (f"{name}.mbox", "application/mbox")  # RFC 4155
            if query.format == "mbox"
            else (f"{name}.tar", "application/x-tar")
        )
        headers = {"Content-Disposition": f'attachment; filename="{file}"'}
        response = Response(pieces(), mimetype=media_type, headers=headers)
        response.call_on_close(exports.release)
        return response


def _export_name(database: Database, query: ExportQuery) -> str:
    """A file name that says what is in it, in plain letters."""
    name = "found" if query.find is not None else "label"
    if query.folder is not None:
        with database.reading() as session:
            name = folder_paths(session).get(query.folder, "folder")
    return re.sub(r"[^A-Za-z0-9]+", "-", name).strip("-") or "mail"
