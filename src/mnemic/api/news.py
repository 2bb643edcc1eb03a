"""What happened since the owner last looked."""

import time
from datetime import UTC, date, datetime

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import AwareDatetime, Field

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.json_body import json_body
from mnemic.api.problem import ProblemDetails
from mnemic.store import Database
from mnemic.store.mail.news import news_since
from mnemic.store.owner.preferences import read_preferences

__all__ = ["news_blueprint"]

#: Whoever was away for longer reads what came in these days; the rest lies in the folders.
_MOST_DAYS = 30


class NewsQuery(Described):
    """When the owner looked last."""

    since: AwareDatetime = Field(description="a moment like 2026-05-04T09:30:00Z")


class NewsOut(Answer):
    """What came on the day of the last look or later, 30 days back at most.

    ``taken``: rules took so many of it; ``waiting``: so many lie in the inbox. Whole days, so that
    Find can list the same mail: those from ``day`` on.
    """

    day: date
    came: int
    taken: int
    waiting: int


def news_blueprint(database: Database) -> APIBlueprint:
    """What happened since the last look."""
    blueprint = APIBlueprint("news", __name__, abp_responses={422: ProblemDetails})

    @blueprint.get("/api/news", summary="Since the last look", responses={200: NewsOut})
    def news(query: NewsQuery) -> Response:
        with database.reading() as session:
            preferences = read_preferences(session)
            midnights = preferences.midnights(int(time.time()), _MOST_DAYS + 1)
            looked = query.since.astimezone(UTC).timestamp()
            begins = max(
                (midnight for midnight in midnights if midnight <= looked), default=midnights[0]
            )
            news_here = news_since(session, begins)
        day = datetime.fromtimestamp(begins, preferences.zone).date()
        return json_body(NewsOut.telling(news_here, day=day))

    return blueprint
