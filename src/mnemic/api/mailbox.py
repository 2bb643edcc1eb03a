"""The mailbox as a whole: folders, labels, and completions for what is typed in a rule."""

import time
from datetime import datetime
from typing import Literal

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line
from mnemic.api.json_body import json_body
from mnemic.jobs.catch_up.clearing_out import next_emptying
from mnemic.jobs.server.passing import IN_STEP
from mnemic.jobs.server.state_lines import line_of, troubles_of
from mnemic.store import Database
from mnemic.store.journal.undo import last_run_to_undo
from mnemic.store.mail.folders import list_folders
from mnemic.store.mail.labels import list_labels
from mnemic.store.mail.packed_mail import left_to_pack
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.search.completions import complete
from mnemic.store.server.connections import connections

__all__ = ["mailbox_blueprint"]

_DAY = 86_400


class FolderOut(Answer):
    """A folder of a mailbox; ``path`` has "/" between levels, and is meant within the mailbox.

    ``due``: its owner wanted to look into it by now, and unread mail waits.
    """

    id: int
    mailbox_id: int
    parent_id: int | None
    path: str
    role: str | None
    total: int
    unread: int
    look_in_days: int | None
    looked_at: datetime | None
    due: bool


class LabelOut(Answer):
    """A label; ``colour`` is one of Mnemic's colour names."""

    id: int
    name: str
    colour: str
    total: int
    unread: int


class EmptyingOut(Answer):
    """When messages leave the trash for good, and how many on that day."""

    at: datetime
    messages: int


class NextUndoOut(Answer):
    """What the undo key takes back: the last thing you did or started, in words."""

    run_id: int
    saying: str


class ConnectedOut(Answer):
    """A connected account's mailbox: its name, and in one line how it is.

    One that is not ``acting`` is only watched. ``in_step``: both sides agree. Mail stays in its
    trash unless that ``empties_trash``.
    """

    id: int
    name: str
    acting: bool
    empties_trash: bool
    state: str
    in_step: bool


class MailboxOut(Answer):
    """Every mailbox, folder and label, when the trash empties next, and what Undo would take back.

    Days begin in the owner's ``timezone``. Mail stays in the trash for ``trash_days``; for
    ``undo_days`` anything can be undone. So many
    messages as ``to_pack`` says lie as an older Mnemic wrote them; they are being compressed.
    """

    connected: list[ConnectedOut]
    folders: list[FolderOut]
    labels: list[LabelOut]
    emptying: EmptyingOut | None
    undo: NextUndoOut | None
    trash_days: int
    undo_days: int
    timezone: str
    to_pack: int


class CompletionQuery(Described):
    """What is being typed: a piece of an address or of a domain."""

    header: Literal["from", "recipient"] = "from"
    part: Literal["address", "domain"] = "address"
    text: Line = Field("", max_length=200)


class CompletionOut(Answer):
    """A value found in the mailbox, and how many messages have it."""

    value: str
    name: str
    messages: int


class CompletionsOut(Answer):
    """Values that hold what was typed, the most frequent first."""

    completions: list[CompletionOut]


def _next_undo(session: Session, since: int) -> NextUndoOut | None:
    last = last_run_to_undo(session, since)
    return None if last is None else NextUndoOut(run_id=last.id or 0, saying=last.saying)


def _connected(session: Session) -> list[ConnectedOut]:
    troubles, accounts = troubles_of(session), []
    for connection in connections(session):
        state = line_of(connection, troubles)
        accounts.append(
            ConnectedOut(
                id=connection.mailbox_id,
                name=connection.account.name,
                acting=connection.acting,
                empties_trash=connection.empties_trash,
                state=state,
                in_step=state == IN_STEP,
            )
        )
    return accounts


def _mailbox(session: Session, now: int) -> MailboxOut:
    emptying, preferences = next_emptying(session), read_preferences(session)
    return MailboxOut(
        connected=_connected(session),
        folders=[
            FolderOut.telling(folder, due=folder.due(now)) for folder in list_folders(session)
        ],
        labels=[LabelOut.model_validate(e) for e in list_labels(session)],
        emptying=None if emptying is None else EmptyingOut.model_validate(emptying),
        undo=_next_undo(session, now - preferences.undo_days * _DAY),
        trash_days=preferences.trash_days,
        undo_days=preferences.undo_days,
        timezone=preferences.timezone,
        to_pack=left_to_pack(session),
    )


def mailbox_blueprint(database: Database) -> APIBlueprint:
    """Folders, labels and completions."""
    blueprint = APIBlueprint("mailbox", __name__)

    @blueprint.get("/api/mailbox", summary="Folders and labels", responses={200: MailboxOut})
    def mailbox() -> Response:
        with database.reading() as session:
            return json_body(_mailbox(session, int(time.time())))

    @blueprint.get(
        "/api/completions", summary="Values in the mailbox", responses={200: CompletionsOut}
    )
    def completions(query: CompletionQuery) -> Response:
        with database.reading() as session:
            completions = complete(session, header=query.header, part=query.part, text=query.text)
        return json_body(
            CompletionsOut(
                completions=[CompletionOut.model_validate(completion) for completion in completions]
            )
        )

    return blueprint
