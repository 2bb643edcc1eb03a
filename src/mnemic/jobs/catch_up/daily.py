"""What happens once a day, at an hour that the owner sets: rules on age, and clearing out."""

from datetime import UTC, datetime, time, timedelta

from sqlmodel import Session

from mnemic.core import Event
from mnemic.jobs.catch_up.planning import CatchUpPlan, PreparedCatchUp, prepare_catch_up
from mnemic.jobs.catch_up.running import start_catch_up
from mnemic.store.line.catch_ups import CatchUpJob, add_job, last_job_at
from mnemic.store.line.rules import list_rules
from mnemic.store.owner.preferences import Preferences, read_preferences

__all__ = ["is_due", "moment_from", "prepare_daily", "start_daily"]

_DAILY: Event = "daily"


def moment_from(preferences: Preferences, at: int) -> int:
    """The first daily moment at or after a time, both in seconds since 1970-01-01 UTC."""
    day = datetime.fromtimestamp(at, preferences.zone).date()
    for begins in (day, day + timedelta(days=1)):
        moment = datetime.combine(begins, time(preferences.daily_hour), preferences.zone)
        if int(moment.timestamp()) >= at:
            return int(moment.timestamp())
    raise AssertionError("a day has its hour")  # pragma: no cover


def is_due(session: Session, *, now: datetime) -> bool:
    """Whether a daily moment has passed since the last run; a Mnemic that slept is late, once."""
    last = last_job_at(session, _DAILY)
    at = int(now.timestamp())
    return last is None or moment_from(read_preferences(session), last + 1) <= at


def prepare_daily(session: Session, *, now: datetime) -> PreparedCatchUp | None:
    """What the rules that run daily have to do; None where there are no such rules."""
    line = list_rules(session)
    rules = [stored for stored in line if stored.rule.enabled and _DAILY in stored.rule.runs]
    if not rules:
        return None
    # They pass one after the other, over all mail: a rule may clear out the trash.
    plan = CatchUpPlan(tuple(rule.id for rule in rules), everywhere=True, takes_left=True)
    return prepare_catch_up(session, plan, now=now.astimezone(UTC))


def start_daily(session: Session, prepared: PreparedCatchUp | None, *, now: datetime) -> CatchUpJob:
    """Begin the day's run of the rules that run daily; noted also where there are none.

    What it has to do is done by ``step_catch_up``.
    """
    if prepared is not None:
        return start_catch_up(session, prepared, now=now.astimezone(UTC), event=_DAILY)
    nothing = CatchUpJob(
        id=0,
        at=int(now.timestamp()),
        state="done",
        saying="Once a day: no rules",
        event=_DAILY,
        rule_ids=(),
        acting=(),
        documents="[]",
        respects=True,
        examined=0,
        total=0,
        done=0,
    )
    return add_job(session, nothing, [])
