"""What a person does with messages, and undo."""

import time
from typing import Annotated, Self

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field, model_validator
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, Number, QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.large_moves import large_move_response
from mnemic.api.messages import understood
from mnemic.api.problem import ProblemDetails, not_found, problem_response
from mnemic.core.actions import Action
from mnemic.jobs.catch_up.running import stop_run
from mnemic.jobs.people.acts import NotAnActError, PlainAct, act
from mnemic.jobs.shared.crossing import HeaderOnlyError
from mnemic.jobs.shared.large_moves import LargeMoveError
from mnemic.jobs.shared.watched import WatchedError, refuse_watched_run
from mnemic.store import Database
from mnemic.store.journal.changes import set_slot
from mnemic.store.journal.chosen import choose_ids
from mnemic.store.journal.runs import begin_run, finish_run
from mnemic.store.journal.undo import (
    GoneForGoodError,
    NameTakenError,
    RunPart,
    UndoneAlreadyError,
    last_run_to_undo,
    undo_run,
)
from mnemic.store.mail.folders import below, plain_folders
from mnemic.store.mail.messages import message_row
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.search.selection import Selection
from mnemic.store.server.connections import watched_mailboxes

__all__ = ["WhichIn", "changes_blueprint", "selection_of"]

_DAY = 86_400

#: Ids that are named one by one; beyond that "all of the folder" is meant.
_MOST_IDS = 50_000


class WhichIn(Described):
    """Which messages: some by id, or all of a folder, of a label, or found by a search.

    All of a ``mailbox`` is all but what lies in its Sent, Junk and Trash.
    """

    ids: Annotated[list[Number], Field(max_length=_MOST_IDS)] | None = None
    folder: Number | None = None
    below: bool = Field(False, description="also the folders below that folder")
    label: Number | None = None
    find: Line | None = Field(None, max_length=500)
    mailbox: Number | None = None
    leave_out: Annotated[list[Number], Field(max_length=_MOST_IDS)] = Field([])

    @model_validator(mode="after")
    def _one_of_them(self) -> Self:
        named = [self.ids, self.folder, self.label, self.find, self.mailbox]
        if named.count(None) != len(named) - 1:
            raise ValueError("name one of ids, folder, label, find and mailbox")
        return self


class ChangeIn(Described):
    """Something to do to messages: an action that rules have too, or one of people alone."""

    which: WhichIn
    do: Action | None = None
    plain: PlainAct | None = None
    ask_first: bool = Field(False, description="answer with a question where much would move")

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.do is None) == (self.plain is None):
            raise ValueError("name either do or plain")
        return self


class ChangedOut(Answer):
    """What was done: in words, to how many, and the run to undo (none where nothing changed)."""

    run_id: int | None
    messages: int
    saying: str


class UndoIn(Described):
    """Which run to undo, or which part of it; without one, the last thing you did or started."""

    run_id: Number | None = None
    message_id: Number | None = Field(None, description="only what the run did to this message")
    rule_id: Number | None = Field(None, description="only what this rule did in the run")


class UndoneOut(Answer):
    """What was undone: in words, how many changes were put back, and how many were left alone.

    ``again``: what had been undone was done again.
    """

    run_id: int | None
    saying: str
    again: bool
    restored: int
    left_alone: int


class SeenPath(Described):
    """Which message was opened."""

    message_id: QueryNumber


def selection_of(session: Session, which: WhichIn) -> Selection:
    """What the page means by it."""
    search = None
    if which.find is not None:
        search = understood(which.find, read_preferences(session)).test
        if search is None:
            return Selection(ids=())
    deep = which.folder is not None and which.below
    folders: tuple[int, ...] = ()
    if which.mailbox is not None:
        folders = plain_folders(session, which.mailbox)
        if not folders:
            return Selection(ids=())
    elif deep and which.folder:
        folders = tuple(below(session, which.folder))
    return Selection(
        ids=None if which.ids is None else tuple(which.ids),
        folder_id=None if deep else which.folder,
        folders=folders,
        label_id=which.label,
        search=search,
        leave_out=tuple(which.leave_out),
    )


def _undone(session: Session, body: UndoIn) -> Response:
    now = int(time.time())
    since = now - read_preferences(session).undo_days * _DAY
    run_id = body.run_id
    if run_id is None:
        last = last_run_to_undo(session, since)
        if last is None:
            return json_body(
                UndoneOut(
                    run_id=None,
                    saying="Nothing left to undo",
                    again=False,
                    restored=0,
                    left_alone=0,
                )
            )
        run_id = last.id
    part = RunPart(body.message_id, body.rule_id)
    if part.message_id is None:
        stop_run(session, run_id or 0)
    refuse_watched_run(session, run_id or 0)
    done = undo_run(session, run_id or 0, at=now, part=None if part == RunPart() else part)
    if done is None:
        return not_found("change")
    return json_body(UndoneOut.model_validate(done))


def _opened(session: Session, message_id: int) -> bool:
    """Mark a message as read; whether it is there. The undo key passes over it."""
    row = message_row(session, message_id)
    if row is None:
        return False
    if not row.seen and row.mailbox_id not in watched_mailboxes(session):
        now = int(time.time())
        run_id = begin_run(session, at=now, actor="person", lasting=True)
        choose_ids(session, [message_id])
        set_slot(session, run_id, "seen", True, at=now)
        finish_run(session, run_id, "Opened")
    return True


def changes_blueprint(database: Database) -> APIBlueprint:
    """Changes and undo."""
    blueprint = APIBlueprint(
        "changes", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    @blueprint.post("/api/changes", summary="Do something", responses={200: ChangedOut})
    def change(body: ChangeIn) -> Response:
        what = body.do if body.do is not None else body.plain
        assert what is not None  # noqa: S101 -- the model has seen to it
        with database.writing() as session:
            try:
                which = selection_of(session, body.which)
                done = act(session, which, what, at=int(time.time()), ask_first=body.ask_first)
            except LargeMoveError as error:
                return large_move_response(error)
            except (HeaderOnlyError, NotAnActError, WatchedError) as error:
                return problem_response(422, "Not possible", str(error))
        return json_body(ChangedOut.model_validate(done))

    @blueprint.post("/api/undo", summary="Undo", responses={200: UndoneOut})
    def undo(body: UndoIn) -> Response:
        with database.writing() as session:
            try:
                return _undone(session, body)
            except UndoneAlreadyError as error:
                return problem_response(409, "Undone already", str(error))
            except WatchedError as error:
                return problem_response(409, "Only watched", str(error))
            except GoneForGoodError as error:
                return problem_response(409, "Gone for good", str(error))
            except NameTakenError as error:
                return problem_response(409, "Name taken", str(error))

    _add_opening(blueprint, database)
    return blueprint


def _add_opening(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.post(
        "/api/messages/<int:message_id>/seen",
        summary="It was opened: mark it as read",
        responses={204: None},
    )
    def seen(path: SeenPath) -> Response:
        with database.writing() as session:
            there = _opened(session, path.message_id)
        return Response(status=204) if there else not_found("message")
