"""Insights: pictures of where mail went, and what is worth a look."""

from datetime import UTC, date, datetime, timedelta
from typing import Literal

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, Number, QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.messages import MessageOut, message_summaries
from mnemic.api.problem import ProblemDetails
from mnemic.core.message.unsubscribe import unsubscribe_addresses
from mnemic.jobs.insights.flow import flow_of
from mnemic.jobs.insights.interruptions import Mark, interruptions_in, mail_behind
from mnemic.jobs.insights.period import MailOfPeriod, Period
from mnemic.store import Database
from mnemic.store.line.idle_rules import idle_rules
from mnemic.store.mail.inbox_past import inbox_at
from mnemic.store.mail.listing import rows_of
from mnemic.store.mail.message_views import stored_messages
from mnemic.store.mail.never_opened import NeverOpened, never_opened
from mnemic.store.owner.accounts import list_accounts
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.owner.turned_away import turn_away, turned_away

__all__ = ["insights_blueprint"]

#: Days that the inbox is drawn over where all mail is asked for.
_MOST_DAYS = 365

#: Messages behind a mark that are listed.
_MOST_LISTED = 200

#: After so many days without mail a rule is idle.
_IDLE_DAYS = 30

_DAY = 86_400


class InsightsQuery(Described):
    """Over which days, and of which account."""

    days: Literal["7", "30", "90", "all"] = Field("30", description="the last days, today included")
    account: Line = Field("", description="the address of one account; empty: all of them")


class MarkQuery(InsightsQuery):
    """A mark of the picture of interruptions: what came, in one hour of one weekday or in all."""

    came: Literal["inbox", "elsewhere"] = Field(description="elsewhere: where rules put it")
    weekday: QueryNumber | None = Field(None, ge=0, le=6, description="0 is Monday")
    hour: QueryNumber | None = Field(None, ge=0, le=23)


class MailBehindOut(Answer):
    """The newest messages behind a mark, and how many there are in all."""

    total: int
    messages: list[MessageOut]


class EndOut(Answer):
    """What mail came to, or where it lies; ``search`` lists it in Find."""

    name: str
    search: str
    messages: int


class RuleShareOut(Answer):
    """A rule, and how much of a band it took."""

    name: str
    messages: int


class BandOut(Answer):
    """The mail between two ends, by their places in their lists; ``search`` lists it in Find."""

    source: int
    place: int
    messages: int
    search: str
    rules: list[RuleShareOut]


class InboxDayOut(Answer):
    """How much lay in the inbox at the end of a day (today: now), and how much was unread."""

    day: date
    lies: int
    unread: int


class InsightsOut(Answer):
    """The pictures of a period.

    Of all ``messages`` rules took ``taken``. By weekday (Monday first) and hour: what ``reached``
    the inbox, and what rules ``spared``; they kept ``kept_away`` from the inbox as it came. An
    interruption is taken to cost ``minutes``; 0: that is not counted.
    """

    search: str
    messages: int
    taken: int
    sources: list[EndOut]
    places: list[EndOut]
    bands: list[BandOut]
    reached: list[list[int]]
    spared: list[list[int]]
    kept_away: int
    minutes: int
    inbox: list[InboxDayOut]


class NeverOpenedOut(Answer):
    """A sender or a list whose mail was never opened; ``search`` lists it in Find, ``ids`` are it.

    ``what`` names it where it is turned away. ``field`` and ``value`` make a condition of a rule.
    """

    what: str
    called: str
    field: Literal["list", "from"]
    value: str
    search: str
    ids: list[int]
    since: datetime
    unsubscribe: list[str]


class IdleRuleOut(Answer):
    """A rule that took nothing for 30 days; ``last`` is when it took something."""

    rule_id: int
    last: datetime | None


class WorthALookOut(Answer):
    """What is worth a look; ``turned_away`` is what the owner does not want to be told of again,
    with the evidence that spoke for it then: it is told again where there is twice as much.
    """

    never_opened: list[NeverOpenedOut]
    idle_rules: list[IdleRuleOut]
    turned_away: dict[str, int]


class TurnedAwayIn(Described):
    """What is not to be told again, and how much speaks for it now."""

    what: Line = Field(min_length=1, max_length=20_000)
    evidence: Number = Field(ge=0)


def _days(session: Session, days: int | None, account: str, now: datetime) -> list[InboxDayOut]:
    preferences = read_preferences(session)
    midnights = preferences.midnights(int(now.timestamp()), days or _MOST_DAYS)
    moments = [*midnights[1:], int(now.timestamp()) + 1]
    key = next((known.id for known in list_accounts(session) if known.address == account), None)
    inbox_days = inbox_at(session, moments, key if account else None)
    first = datetime.fromtimestamp(midnights[0], preferences.zone).date()
    return [
        InboxDayOut.telling(inbox, day=first + timedelta(days=at))
        for at, inbox in enumerate(inbox_days)
    ]


def _period(query: InsightsQuery) -> Period:
    return Period(None if query.days == "all" else int(query.days), query.account or None)


def _behind(session: Session, query: MarkQuery, now: datetime) -> MailBehindOut:
    mark = Mark(query.came == "elsewhere", query.weekday, query.hour)
    mail = MailOfPeriod(session, _period(query), now)
    ids = mail_behind(session, mail, mark)
    newest = rows_of(session, mail.masks.newest_first(ids, _MOST_LISTED))
    return MailBehindOut(total=ids.size, messages=message_summaries(session, newest))


def _insights(session: Session, query: InsightsQuery, now: datetime) -> InsightsOut:
    period = _period(query)
    mail = MailOfPeriod(session, period, now)
    flow, interruptions = flow_of(session, mail), interruptions_in(session, mail)
    return InsightsOut(
        search=mail.search,
        messages=flow.messages,
        taken=flow.taken,
        sources=[EndOut.model_validate(end) for end in flow.sources],
        places=[EndOut.model_validate(end) for end in flow.places],
        bands=[
            BandOut.telling(
                band, rules=[RuleShareOut(name=name, messages=n) for name, n in band.rules]
            )
            for band in flow.bands
        ],
        reached=[list(row) for row in interruptions.reached],
        spared=[list(row) for row in interruptions.spared],
        kept_away=interruptions.kept_away,
        minutes=read_preferences(session).interruption_minutes,
        inbox=_days(session, period.days, query.account, now),
    )


def _never_opened(session: Session, group: NeverOpened) -> NeverOpenedOut:
    message = next(stored_messages(session, iter(group.ids[-1:])), None)
    field: Literal["list", "from"] = "from" if group.list_id is None else "list"
    value = group.list_id or group.sender
    return NeverOpenedOut(
        what=f"never opened {field} {value}",
        called=group.called or value,
        field=field,
        value=value,
        search=f'{field}:"{value}" state:unread',
        ids=group.ids,
        since=datetime.fromtimestamp(group.since, UTC),
        unsubscribe=[] if message is None else list(unsubscribe_addresses(message)),
    )


def _worth_a_look(session: Session, now: datetime) -> WorthALookOut:
    since = int(now.timestamp()) - _IDLE_DAYS * _DAY
    return WorthALookOut(
        never_opened=[_never_opened(session, group) for group in never_opened(session)],
        idle_rules=[IdleRuleOut.model_validate(idle) for idle in idle_rules(session, since)],
        turned_away=turned_away(session),
    )


def insights_blueprint(database: Database) -> APIBlueprint:
    """Insights."""
    blueprint = APIBlueprint("insights", __name__, abp_responses={422: ProblemDetails})

    @blueprint.get("/api/insights", summary="Where mail went", responses={200: InsightsOut})
    def insights(query: InsightsQuery) -> Response:
        with database.reading() as session:
            return json_body(_insights(session, query, datetime.now(UTC)))

    @blueprint.get("/api/insights/mail", summary="Its mail", responses={200: MailBehindOut})
    def mail_of_mark(query: MarkQuery) -> Response:
        with database.reading() as session:
            return json_body(_behind(session, query, datetime.now(UTC)))

    @blueprint.get("/api/worth-a-look", summary="What to do next", responses={200: WorthALookOut})
    def worth_a_look() -> Response:
        with database.reading() as session:
            return json_body(_worth_a_look(session, datetime.now(UTC)))

    @blueprint.post("/api/turned-away", summary="Not this", responses={204: None})
    def not_this(body: TurnedAwayIn) -> Response:
        with database.writing() as session:
            turn_away(session, body.what, body.evidence)
        return Response(status=204)

    return blueprint
