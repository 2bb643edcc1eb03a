"""The mailbox as a whole: folders, labels, and completions for what is typed in a rule."""

from typing import Literal

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import BaseModel, Field

from mnemic.api.json_body import json_body
from mnemic.store import Database
from mnemic.store.completions import complete
from mnemic.store.folders import list_folders
from mnemic.store.labels import list_labels

__all__ = ["mailbox_blueprint"]


class FolderOut(BaseModel):
    """A folder; ``path`` has "/" between levels."""

    id: int
    path: str
    role: str | None
    total: int
    unread: int


class LabelOut(BaseModel):
    """A label; ``colour`` is one of Mnemic's colour names."""

    id: int
    name: str
    colour: str
    total: int
    unread: int


class MailboxOut(BaseModel):
    """Every folder and label."""

    folders: list[FolderOut]
    labels: list[LabelOut]


class CompletionQuery(BaseModel):
    """What is being typed: a piece of an address or of a domain."""

    header: Literal["from", "recipient"] = "from"
    part: Literal["address", "domain"] = "address"
    text: str = Field("", max_length=200)


class CompletionOut(BaseModel):
    """A value found in the mailbox, and how many messages have it."""

    value: str
    name: str
    messages: int


class CompletionsOut(BaseModel):
    """Values that hold what was typed, the most frequent first."""

    completions: list[CompletionOut]


def mailbox_blueprint(database: Database) -> APIBlueprint:
    """Folders, labels and completions."""
    blueprint = APIBlueprint("mailbox", __name__)

    @blueprint.get("/api/mailbox", summary="Folders and labels", responses={200: MailboxOut})
    def mailbox() -> Response:
        with database.reading() as session:
            folders = [
                FolderOut.model_validate(each, from_attributes=True)
                for each in list_folders(session)
            ]
            labels = [
                LabelOut.model_validate(each, from_attributes=True) for each in list_labels(session)
            ]
        return json_body(MailboxOut(folders=folders, labels=labels))

    @blueprint.get(
        "/api/completions", summary="Values in the mailbox", responses={200: CompletionsOut}
    )
    def completions(query: CompletionQuery) -> Response:
        with database.reading() as session:
            found = complete(session, header=query.header, part=query.part, text=query.text)
        return json_body(
            CompletionsOut(
                completions=[
                    CompletionOut.model_validate(each, from_attributes=True) for each in found
                ]
            )
        )

    return blueprint
