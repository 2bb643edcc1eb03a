"""Scripts of a connected account's server: what it could run of the line; nothing is changed."""

from collections.abc import Callable
from typing import Literal

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, Number
from mnemic.api.json_body import json_body
from mnemic.api.owner import AccountPath
from mnemic.api.problem import ProblemDetails, not_found
from mnemic.api.rule_documents import GradeOut, graded
from mnemic.api.server_failure import failed
from mnemic.jobs.line.rule_documents import document_of
from mnemic.jobs.server.passing import scripts_access
from mnemic.jobs.server.script_preview import preview_script
from mnemic.jobs.server.script_setting import script_setting
from mnemic.post.failures import ServerError
from mnemic.store import Database
from mnemic.store.server.connections import connection_of
from mnemic.store.server.secret_key import SecretKey

__all__ = ["account_scripts_blueprint"]


class ScriptServerIn(Described):
    """Where an account's scripts are kept (ManageSieve); user and password as for its mail."""

    host: Line = Field(min_length=1, max_length=255)
    port: Number = Field(ge=1, le=65_535)
    security: Literal["tls", "starttls", "none"]


class ScriptPreviewOut(Answer):
    """Which rules a server could run, and why not others; the scripts that are there by name.

    ``refused`` is what the server says of our script where it would not take it.
    """

    grades: list[GradeOut]
    scripts: list[str]
    active: str | None
    refused: str | None


def account_scripts_blueprint(database: Database, key: Callable[[], SecretKey]) -> APIBlueprint:
    """Scripts of connected accounts."""
    blueprint = APIBlueprint("account_scripts", __name__, abp_responses={422: ProblemDetails})

    @blueprint.post(
        "/api/connections/<int:id>/script/preview",
        summary="What its server could run of the line",
        responses={200: ScriptPreviewOut},
    )
    def preview(path: AccountPath, body: ScriptServerIn) -> Response:
        with database.reading() as session:
            connection = connection_of(session, path.id, key())
            if connection is None:
                return not_found("connected account")
            rules = document_of(session).rules
            setting = script_setting(session, connection)
        access = scripts_access(connection.reach, body.host, body.port, body.security)
        try:
            found = preview_script(rules, setting, access)
        except ServerError as error:
            return failed(error)
        return json_body(
            ScriptPreviewOut(
                grades=list(map(graded, found.script.grades)),
                scripts=list(found.there.names),
                active=found.there.active,
                refused=found.refused,
            )
        )

    return blueprint
