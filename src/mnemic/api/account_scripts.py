"""Where the rules of a connected account run: here, or on its server as far as it can."""

from typing import Literal

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, Number
from mnemic.api.json_body import json_body
from mnemic.api.owner import AccountPath
from mnemic.api.problem import ProblemDetails, not_found, problem_response
from mnemic.api.rule_documents import GradeOut, graded
from mnemic.api.server_failure import failed
from mnemic.core import MnemicError
from mnemic.core.sieve import RuleGrade
from mnemic.jobs.server.handing_over import NotHandedOverError
from mnemic.jobs.server.line_as_script import line_as_script
from mnemic.jobs.server.passes import NotConnectedError, Passes
from mnemic.jobs.server.script_preview import preview_script
from mnemic.jobs.shared.watched import WatchedError
from mnemic.post.failures import ServerError
from mnemic.store import Database
from mnemic.store.server.connections import Connection, connection_of
from mnemic.store.server.server_scripts import RunsWhere, ScriptPlace, server_script

__all__ = ["account_scripts_blueprint"]


class ScriptServerIn(Described):
    """Where an account's scripts are kept (ManageSieve); user and password as for its mail."""

    host: Line = Field(min_length=1, max_length=255)
    port: Number = Field(ge=1, le=65_535)
    security: Literal["tls", "starttls", "none"]

    @property
    def place(self) -> ScriptPlace:
        """As the store keeps it."""
        return ScriptPlace(self.host, self.port, self.security)


class ScriptServerOut(Answer):
    """Where an account's scripts are kept."""

    host: str
    port: int
    security: str


class RulesWhereOut(Answer):
    """Where an account's rules run; while the server is asked what came of it, neither is sure.

    ``name`` is our script there, ``before`` the one that ran before it, and comes back. ``trouble``
    is what is wrong; where it ``asks`` nothing is done before the owner has chosen.
    """

    runs: RunsWhere
    server: ScriptServerOut | None
    name: str | None
    before: str | None
    trouble: str | None
    asks: bool
    grades: list[GradeOut]


class ScriptPreviewOut(Answer):
    """Which rules a server could run, and why not others; the scripts that are there by name.

    ``refused`` is what the server says of our script where it would not take it.
    """

    grades: list[GradeOut]
    scripts: list[str]
    active: str | None
    refused: str | None


def _told(session: Session, connection: Connection) -> RulesWhereOut:
    script = server_script(session, connection.account.id)
    if script is None:
        return RulesWhereOut(
            runs="here", server=None, name=None, before=None, trouble=None, asks=False, grades=[]
        )
    grades: tuple[RuleGrade, ...] = ()
    if script.sorts_there:
        grades = line_as_script(session, connection, script.capabilities).grades
    return RulesWhereOut(
        runs=script.runs,
        server=ScriptServerOut.model_validate(script.place),
        name=script.name,
        before=script.before_name,
        trouble=script.trouble,
        asks=script.asks,
        grades=list(map(graded, grades)),
    )


def account_scripts_blueprint(database: Database, passes: Passes) -> APIBlueprint:
    """Scripts of connected accounts."""
    blueprint = APIBlueprint(
        "account_scripts", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    @blueprint.post(
        "/api/connections/<int:id>/script/preview",
        summary="What its server could run of the line",
        responses={200: ScriptPreviewOut},
    )
    def preview(path: AccountPath, body: ScriptServerIn) -> Response:
        with database.reading() as session:
            connection = connection_of(session, path.id, passes.key())
            if connection is None:
                return not_found("connected account")
        try:
            script = preview_script(database, connection, body.place)
        except ServerError as error:
            return failed(error)
        return json_body(
            ScriptPreviewOut(
                grades=list(map(graded, script.script.grades)),
                scripts=list(script.there.names),
                active=script.there.active,
                refused=script.refused,
            )
        )

    _add_handing_over(blueprint, database, passes)
    return blueprint


def _refused(error: MnemicError) -> Response:
    """Why rules run where they ran."""
    if isinstance(error, ServerError):
        return failed(error)
    if isinstance(error, NotConnectedError):
        return not_found("connected account")
    if isinstance(error, WatchedError | NotHandedOverError):
        return problem_response(409, "Nothing was changed", f"{error}.")
    raise error


def _add_handing_over(blueprint: APIBlueprint, database: Database, passes: Passes) -> None:
    def told(account_id: int) -> Response:
        with database.reading() as session:
            connection = connection_of(session, account_id)
            if connection is None:
                return not_found("connected account")
            return json_body(_told(session, connection))

    @blueprint.get(
        "/api/connections/<int:id>/script",
        summary="Where its rules run",
        responses={200: RulesWhereOut},
    )
    def where(path: AccountPath) -> Response:
        return told(path.id)

    @blueprint.put(
        "/api/connections/<int:id>/script",
        summary="Hand rules over to its server",
        responses={200: RulesWhereOut, 409: ProblemDetails},
    )
    def hand_over(path: AccountPath, body: ScriptServerIn) -> Response:
        try:
            passes.hand_over(path.id, body.place)
        except MnemicError as error:
            return _refused(error)
        return told(path.id)

    @blueprint.delete(
        "/api/connections/<int:id>/script",
        summary="Let its rules run here again",
        responses={200: RulesWhereOut, 409: ProblemDetails},
    )
    def bring_back(path: AccountPath) -> Response:
        try:
            passes.bring_back(path.id)
        except MnemicError as error:
            return _refused(error)
        return told(path.id)
