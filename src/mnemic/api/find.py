"""Find: what may stand next, and a search as the beginning of a rule."""

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.messages import understood
from mnemic.core.rules import GROUPS, Test
from mnemic.core.suggestions import suggestions, term_at
from mnemic.store import Database
from mnemic.store.mail.folders import list_folders
from mnemic.store.mail.labels import list_labels
from mnemic.store.owner.accounts import list_accounts
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.search.completions import complete

__all__ = ["find_blueprint"]


class FindQuery(Described):
    """What stands in Find, and where the caret is."""

    text: Line = Field("", max_length=500)
    caret: QueryNumber = Field(0, ge=0, le=500)


class SuggestionOut(Answer):
    """Text that takes the place of characters ``start`` to ``end``, and what it means.

    ``words`` is what people call it, where that is something else.
    """

    start: int
    end: int
    text: str
    meaning: str
    words: str


class SuggestionsOut(Answer):
    """What may stand where the caret is."""

    suggestions: list[SuggestionOut]


class SearchOut(Answer):
    """What a search asks for, as a rule's *when* and *unless*; null where it asks for nothing."""

    when: Test | None
    unless: Test | None


# `Test` names the groups by name, since they hold tests themselves.
SearchOut.model_rebuild(_types_namespace={group.__name__: group for group in GROUPS})


def _messages(count: int) -> str:
    return f"{count:,} message{'' if count == 1 else 's'}"


def _values(session: Session, prefix: str, typed: str) -> list[tuple[str, str]]:
    """Values from the mailbox for a prefix, with what there is to say of each."""
    if prefix == "folder":
        return [(folder.path, _messages(folder.total)) for folder in list_folders(session)]
    if prefix == "label":
        return [(label.name, _messages(label.total)) for label in list_labels(session)]
    if prefix == "account":
        return [(account.address, account.name) for account in list_accounts(session)]
    if prefix == "attachment":
        return [("yes", "any attachment"), ("no", "none")]
    if prefix in ("on", "before", "after"):
        return [("today", ""), ("yesterday", "")]
    if prefix in ("from", "to"):
        header = "from" if prefix == "from" else "recipient"
        offered = complete(session, header=header, part="address", text=typed)  # type: ignore[arg-type] # one of both
        return [
            (completion.value, completion.name or _messages(completion.messages))
            for completion in offered
        ]
    return []


def find_blueprint(database: Database) -> APIBlueprint:
    """Find."""
    blueprint = APIBlueprint("find", __name__)

    @blueprint.get(
        "/api/find/suggestions", summary="What may stand next", responses={200: SuggestionsOut}
    )
    def suggest(query: FindQuery) -> Response:
        term = term_at(query.text, query.caret)
        with database.reading() as session:
            values = {term.prefix: _values(session, term.prefix, term.value)}
        offered = suggestions(query.text, query.caret, values)
        return json_body(
            SuggestionsOut(
                suggestions=[SuggestionOut.model_validate(suggestion) for suggestion in offered]
            )
        )

    @blueprint.get(
        "/api/find/rule", summary="A search as a rule’s conditions", responses={200: SearchOut}
    )
    def rule(query: FindQuery) -> Response:
        with database.reading() as session:
            search = understood(query.text, read_preferences(session))
        when, unless = search.as_rule()
        return json_body(SearchOut(when=when, unless=unless))

    return blueprint
