"""Accounts whose mail lies on a server: connected, tried, let act, and forgotten."""

import time
from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Literal

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, Number
from mnemic.api.json_body import json_body
from mnemic.api.owner import AccountPath, AddressText
from mnemic.api.problem import ProblemDetails, not_found, problem_response
from mnemic.api.server_failure import failed
from mnemic.core import MnemicError
from mnemic.jobs.server.connecting import connect, disconnect, try_out, try_submission
from mnemic.jobs.server.letting_act import RulesThereError, let_act
from mnemic.jobs.server.pass_report import PassReport
from mnemic.jobs.server.passes import Passes
from mnemic.jobs.server.passing import IN_STEP
from mnemic.jobs.server.state_lines import Troubles, line_of, troubles_of
from mnemic.post.imap import ServerError
from mnemic.store import Database
from mnemic.store.mail.folders import folder_with_role, list_folders
from mnemic.store.mail.listing import count_placed_until
from mnemic.store.mail.mailboxes import count_in_mailbox
from mnemic.store.owner.accounts import Account
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.server.connections import (
    Connection,
    Reach,
    connection_of,
    connections,
    keep_secret,
    set_emptying,
    set_state,
    set_submission,
    submission_refused,
)
from mnemic.store.server.folder_choices import FolderChoice, choose_folder, folder_choices
from mnemic.store.server.secret_key import SecretKey
from mnemic.store.server.server_folders import server_folders
from mnemic.store.server.server_scripts import scripts_are_tried_again, server_script

__all__ = ["connections_blueprint"]

#: A password as it is typed: never told again.
PasswordText = Annotated[Line, Field(min_length=1, max_length=1_000)]


class SubmissionIn(Described):
    """Where an account's forwards and answers leave, and whether they do; user as for its mail."""

    host: Line = Field(min_length=1, max_length=255)
    port: Number = Field(ge=1, le=65_535)
    security: Literal["tls", "starttls", "none"]
    on: bool = True


class ConnectionIn(Described):
    """How an account's mail is reached. ``untried``: keep it though it does not work now.

    ``authorities`` is a PEM file on this computer, of certificates that are trusted, too.
    """

    name: Line = Field(min_length=1, max_length=100)
    address: AddressText
    aliases: Annotated[list[AddressText], Field(max_length=500)] = Field([])
    host: Line = Field(min_length=1, max_length=255)
    port: Number = Field(ge=1, le=65_535)
    security: Literal["tls", "starttls", "none"]
    user: Line = Field(min_length=1, max_length=320)
    password: PasswordText
    authorities: Line | None = Field(None, max_length=4_000)
    untried: bool = False


class PasswordIn(Described):
    """Another password."""

    password: PasswordText


class ActingIn(Described):
    """Whether rules act on the server, or it is only watched."""

    acting: bool


class EmptyingIn(Described):
    """Whether the account's trash is emptied after its days, on the server, too."""

    on: bool


class SubmissionOut(Answer):
    """Where letters leave, and whether they do, or are only kept."""

    host: str
    port: int
    security: str
    on: bool


class ConnectionOut(Answer):
    """A connected account with its mailbox; ``state`` says in one line how it is.

    ``rules_there`` tells that its server runs the rules, or may. ``trash_due`` is how many messages
    have lain in its trash for longer than they stay where that ``empties_trash``.
    """

    id: int
    mailbox: int
    name: str
    address: str
    server: str
    security: str
    user: str
    acting: bool
    rules_there: bool
    empties_trash: bool
    trash_due: int
    state: str
    in_step: bool
    messages: int
    alert: str | None
    submission: SubmissionOut | None


class ConnectionsOut(Answer):
    """Every connected account."""

    connections: list[ConnectionOut]


class FolderChoiceIn(Described):
    """What a folder of the server is for; without a choice it is what the server says."""

    name: Line = Field(min_length=1, max_length=1_000)
    choice: FolderChoice | None = None


class FolderChoiceOut(Answer):
    """A folder of the server, by its name there and its path here, and what it is for."""

    name: str
    path: str
    role: str | None
    choice: FolderChoice | None


class FolderChoicesOut(Answer):
    """The folders of a connected account."""

    folders: list[FolderChoiceOut]


class PassOut(Answer):
    """What a pass came to; ``state`` is "in step", or says what is wrong."""

    state: str
    in_step: bool
    fetched: int
    arrived: int
    sorted: int
    changed_there: int
    changed_here: int
    gone: int


class TriedOut(Answer):
    """What was found, in sentences."""

    sentences: list[str]


def _trash_due(session: Session, connection: Connection) -> int:
    trash = folder_with_role(session, "trash", connection.mailbox_id)
    days = read_preferences(session).trash_days
    return count_placed_until(session, trash, int(time.time()) - days * 86_400)


def _told(session: Session, connection: Connection, troubles: Troubles) -> ConnectionOut:
    reach = connection.reach
    state = line_of(connection, troubles)
    script = server_script(session, connection.account.id)
    submission = None
    if reach.submission is not None:
        host, port, security = reach.submission
        submission = SubmissionOut(host=host, port=port, security=security, on=connection.submits)
    return ConnectionOut(
        id=connection.account.id,
        mailbox=connection.mailbox_id,
        name=connection.account.name,
        address=connection.account.address,
        server=f"{reach.host}:{reach.port}",
        security=reach.security,
        user=reach.user,
        acting=connection.acting,
        rules_there=script is not None and script.sorts_there,
        empties_trash=connection.empties_trash,
        trash_due=_trash_due(session, connection),
        state=state,
        in_step=state == IN_STEP,
        messages=count_in_mailbox(session, connection.mailbox_id),
        alert=connection.alert,
        submission=submission,
    )


def connections_blueprint(database: Database, passes: Passes) -> APIBlueprint:
    """Connected accounts."""
    key = passes.key
    blueprint = APIBlueprint(
        "connections", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    @blueprint.get("/api/connections", summary="Connected", responses={200: ConnectionsOut})
    def listed() -> Response:
        with database.reading() as session:
            troubles = troubles_of(session)
            accounts = [_told(session, connection, troubles) for connection in connections(session)]
        return json_body(ConnectionsOut(connections=accounts))

    @blueprint.post("/api/connections", summary="Connect", responses={201: TriedOut})
    def add(body: ConnectionIn) -> Response:
        where = body.host, body.port, body.security, body.user
        reach = Reach(*where, "password", body.password, body.authorities)
        tried = None
        try:
            tried = try_out(reach)
        except ServerError as error:
            if not body.untried:
                return failed(error)
        account = Account(0, body.name, body.address, tuple(body.aliases))
        try:
            with database.writing() as session:
                connect(session, account, reach, key(), acting=False, tried=tried)
        except MnemicError as error:
            return problem_response(422, "Not possible", f"{error}.")
        return json_body(TriedOut(sentences=list(tried.sentences) if tried else []), 201)

    _add_changes(blueprint, database, key)
    _add_acting(blueprint, database)
    _add_emptying(blueprint, database)
    _add_submission(blueprint, database, key)
    _add_passes(blueprint, database, passes)
    _add_folders(blueprint, database)
    _add_forgetting(blueprint, database)
    return blueprint


def _add_changes(blueprint: APIBlueprint, database: Database, key: Callable[[], SecretKey]) -> None:
    @blueprint.post("/api/connections/<int:id>/try", summary="Try it", responses={200: TriedOut})
    def again(path: AccountPath) -> Response:
        with database.reading() as session:
            connection = connection_of(session, path.id, key())
        if connection is None:
            return not_found("connected account")
        try:
            tried = try_out(connection.reach)
            sends = try_submission(connection.reach)
        except ServerError as error:
            return failed(error)
        with database.writing() as session:
            set_state(session, path.id, "not looked at since it works again")
            submission_refused(session, path.id, refused=False)
            scripts_are_tried_again(session, path.id)
        return json_body(TriedOut(sentences=[*tried.sentences, *sends]))

    @blueprint.put(
        "/api/connections/<int:id>/password", summary="Another password", responses={204: None}
    )
    def password(path: AccountPath, body: PasswordIn) -> Response:
        with database.writing() as session:
            if connection_of(session, path.id) is None:
                return not_found("connected account")
            keep_secret(session, path.id, "password", body.password, key())
        return Response(status=204)


def _add_acting(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.put(
        "/api/connections/<int:id>/acting", summary="Let rules act", responses={204: None}
    )
    def acting(path: AccountPath, body: ActingIn) -> Response:
        with database.writing() as session:
            connection = connection_of(session, path.id)
            if connection is None:
                return not_found("connected account")
            try:
                let_act(session, connection, acting=body.acting)
            except RulesThereError as error:
                return problem_response(409, "Its rules run on the server", f"{error}.")
        return Response(status=204)


def _add_emptying(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.put(
        "/api/connections/<int:id>/emptying", summary="Empty its trash", responses={204: None}
    )
    def emptying(path: AccountPath, body: EmptyingIn) -> Response:
        with database.writing() as session:
            if connection_of(session, path.id) is None:
                return not_found("connected account")
            set_emptying(session, path.id, on=body.on)
        return Response(status=204)


def _add_submission(
    blueprint: APIBlueprint, database: Database, key: Callable[[], SecretKey]
) -> None:
    @blueprint.put(
        "/api/connections/<int:id>/submission", summary="Send by it", responses={200: TriedOut}
    )
    def submission(path: AccountPath, body: SubmissionIn) -> Response:
        with database.reading() as session:
            connection = connection_of(session, path.id, key())
        if connection is None:
            return not_found("connected account")
        at = body.host, body.port, body.security
        try:
            said = try_submission(replace(connection.reach, submission=at)) if body.on else ()
        except ServerError as error:
            return failed(error)
        with database.writing() as session:
            set_submission(session, path.id, at, on=body.on)
        return json_body(TriedOut(sentences=list(said)))


def _folders(session: Session, connection: Connection) -> list[FolderChoiceOut]:
    choices = folder_choices(session, connection.mailbox_id)
    roles = {folder.id: folder.role for folder in list_folders(session)}
    answers = {
        row.name: FolderChoiceOut(
            name=row.name, path=row.path, role=roles.get(key), choice=choices.get(row.name)
        )
        for key, row in server_folders(session, connection.mailbox_id).items()
    }
    for name, choice in choices.items():
        answers.setdefault(name, FolderChoiceOut(name=name, path=name, role=None, choice=choice))
    return [answers[name] for name in sorted(answers)]


def _add_folders(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.get(
        "/api/connections/<int:id>/folders",
        summary="Its folders",
        responses={200: FolderChoicesOut},
    )
    def folders(path: AccountPath) -> Response:
        with database.reading() as session:
            connection = connection_of(session, path.id)
            if connection is None:
                return not_found("connected account")
            return json_body(FolderChoicesOut(folders=_folders(session, connection)))

    @blueprint.put(
        "/api/connections/<int:id>/folders", summary="What one is for", responses={204: None}
    )
    def choose(path: AccountPath, body: FolderChoiceIn) -> Response:
        with database.writing() as session:
            connection = connection_of(session, path.id)
            if connection is None:
                return not_found("connected account")
            choose_folder(session, connection.mailbox_id, body.name, body.choice)
        return Response(status=204)


def _add_passes(blueprint: APIBlueprint, database: Database, passes: Passes) -> None:
    @blueprint.post(
        "/api/connections/<int:id>/pass", summary="A pass, now", responses={200: PassOut}
    )
    def make(path: AccountPath) -> Response:
        with database.reading() as session:
            if connection_of(session, path.id) is None:
                return not_found("connected account")
        try:
            state, report = passes.over(path.id)
        except MnemicError as error:
            state, report = str(error), PassReport()
        return json_body(PassOut(state=state, in_step=state == IN_STEP, **report.counts()))


def _add_forgetting(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.delete("/api/connections/<int:id>", summary="Forget it", responses={204: None})
    def forget(path: AccountPath) -> Response:
        with database.writing() as session:
            if connection_of(session, path.id) is None:
                return not_found("connected account")
            disconnect(session, path.id)
        return Response(status=204)
