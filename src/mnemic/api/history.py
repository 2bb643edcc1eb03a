"""The history: what was done, by whom and to how many, and the messages of a run."""

from datetime import datetime

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.messages import MessageOut, message_summaries
from mnemic.api.problem import ProblemDetails
from mnemic.jobs.people.message_history import change_sayings
from mnemic.store import Database
from mnemic.store.journal.history import changes_of_run, list_runs, shares_of_run
from mnemic.store.line.rules import list_rules
from mnemic.store.mail.listing import rows_of

__all__ = ["history_blueprint"]

#: Messages of a run that are shown; a large one is looked at in its folder.
_SHOWN = 100


class RunOut(Answer):
    """One thing that was done, whole: a run over many messages, or a single act."""

    id: int
    at: datetime
    actor: str
    saying: str
    messages: int
    rule_id: int | None
    undone: bool
    undoes: int | None
    can_be_undone: bool


class HistoryOut(Answer):
    """Runs, the newest first; ``more`` tells that there are older ones."""

    runs: list[RunOut]
    more: bool


class HistoryQuery(Described):
    """Which runs: those before one that was shown already."""

    before: QueryNumber | None = None
    limit: QueryNumber = Field(50, ge=1, le=200)


class RunMessageOut(Answer):
    """A message that a run changed, and what it changed about it, in words."""

    message: MessageOut
    changes: list[str]


class RunShareOut(Answer):
    """One rule's part in a run."""

    rule_id: int
    name: str
    messages: int


class RunMessagesOut(Answer):
    """What a run did, message by message, 100 of them, the newest first; and each rule's part."""

    messages: list[RunMessageOut]
    rules: list[RunShareOut]


class RunPath(Described):
    """Which run."""

    run_id: QueryNumber


class RunMessagesQuery(Described):
    """Which of its messages: those that came before one that was shown already."""

    before: QueryNumber | None = None


def _messages(session: Session, run_id: int, before: int | None) -> RunMessagesOut:
    changes: dict[int, list[str]] = {}
    run_changes = changes_of_run(session, run_id, messages=_SHOWN, before=before)
    for change, saying in zip(run_changes, change_sayings(session, run_changes), strict=True):
        changes.setdefault(change.message_id, []).append(saying)
    summaries = message_summaries(session, rows_of(session, list(changes)))
    names = {stored.id: stored.rule.name for stored in list_rules(session)}
    return RunMessagesOut(
        messages=[
            RunMessageOut(message=summary, changes=changes[summary.id]) for summary in summaries
        ],
        rules=[
            RunShareOut(
                rule_id=share.rule_id,
                name=names.get(share.rule_id, "a rule that is deleted"),
                messages=share.messages,
            )
            for share in shares_of_run(session, run_id)
        ],
    )


def history_blueprint(database: Database) -> APIBlueprint:
    """The history."""
    blueprint = APIBlueprint("history", __name__, abp_responses={422: ProblemDetails})

    @blueprint.get("/api/history", summary="What was done", responses={200: HistoryOut})
    def history(query: HistoryQuery) -> Response:
        with database.reading() as session:
            runs = list_runs(session, before=query.before, limit=query.limit + 1)
        shown = [RunOut.model_validate(e) for e in runs[: query.limit]]
        return json_body(HistoryOut(runs=shown, more=len(runs) > query.limit))

    @blueprint.get(
        "/api/history/<int:run_id>", summary="What a run did", responses={200: RunMessagesOut}
    )
    def run(path: RunPath, query: RunMessagesQuery) -> Response:
        with database.reading() as session:
            return json_body(_messages(session, path.run_id, query.before))

    return blueprint
