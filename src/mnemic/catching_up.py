"""``mnemic catch-up``: rules applied to mail already here, or only told what that would do."""

from collections.abc import Sequence
from datetime import UTC, datetime, time

from mnemic.core import MnemicError
from mnemic.jobs.catch_up import (
    CatchUpPlan,
    CatchUpReport,
    preview_catch_up,
    start_catch_up,
    step_catch_up,
)
from mnemic.jobs.selection import Selection
from mnemic.settings import Settings
from mnemic.store import Database
from mnemic.store.catch_ups import get_job
from mnemic.store.folders import below, folder_paths
from mnemic.store.preferences import read_preferences
from mnemic.store.rules import list_rules

__all__ = ["NotHereError", "catch_up_mail", "report_lines"]


class NotHereError(MnemicError):
    """A rule or a folder that is not here."""


def _plan(
    database: Database,
    names: Sequence[str],
    folder: str | None,
    since: datetime | None,
    until: datetime | None,
    *,
    respects: bool,
) -> CatchUpPlan:
    with database.reading() as session:
        line = list_rules(session)
        missing = [each for each in names if each not in {rule.rule.name for rule in line}]
        if missing:
            raise NotHereError(f"there is no rule “{missing[0]}”; the names are those of the line")
        chosen = [each.id for each in line if each.rule.enabled and not names]
        chosen += [each.id for each in line if each.rule.name in names]
        which, zone = Selection(), read_preferences(session).zone
        if folder is not None:
            paths = {path.casefold(): key for key, path in folder_paths(session).items()}
            if folder.casefold() not in paths:
                raise NotHereError(f"there is no folder “{folder}”")
            folders = tuple(below(session, paths[folder.casefold()]))
            which = Selection(folders=folders)

    def seconds(day: datetime | None) -> int | None:
        return None if day is None else int(datetime.combine(day, time(), zone).timestamp())

    return CatchUpPlan(tuple(chosen), which, seconds(since), seconds(until), respects)


def catch_up_mail(
    settings: Settings,
    names: Sequence[str],
    *,
    folder: str | None = None,
    since: datetime | None = None,
    until: datetime | None = None,
    respects: bool = True,
    dry_run: bool = False,
) -> CatchUpReport:
    """Apply rules (all that are on, or those named) to mail; what was done, or would be.

    ``since`` and ``until`` are days of the owner's calendar, the latter not included. Raises
    NotHereError where a rule or the folder is not here.
    """
    database = Database(settings.database)
    try:
        plan = _plan(database, names, folder, since, until, respects=respects)
        now = datetime.now(UTC)
        if dry_run:
            with database.reading() as session:
                return preview_catch_up(session, plan, now=now)[1]
        with database.writing() as session:
            job = start_catch_up(session, plan, now=now)
        more = True
        while more:
            with database.writing() as session:
                more = step_catch_up(session, job.id)
        with database.reading() as session:
            done = get_job(session, job.id)
        return CatchUpReport.model_validate_json(done.report if done else "{}")
    finally:
        database.close()


def report_lines(report: CatchUpReport) -> list[str]:
    """What a catch-up does, in lines for a terminal."""
    counts = f"{report.taken} taken, {report.moved} moved, {report.labelled} labelled"
    lines = [f"{counts}, {report.marked} marked, {report.unchanged} in order already"]
    if report.respected:
        lines.append(f"{report.respected} left as you put them")
    lines += [f"  {count:>6}  to {path}" for path, count in sorted(report.places.items())]
    return lines
