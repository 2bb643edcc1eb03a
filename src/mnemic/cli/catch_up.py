"""``mnemic catch-up``: rules applied to mail already here, or only told what that would do."""

import sys
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, time

import click
from sqlmodel import Session

from mnemic.cli.opened import opened
from mnemic.jobs.catch_up.passing import CatchUpReport
from mnemic.jobs.catch_up.planning import CatchUpPlan, prepare_catch_up
from mnemic.jobs.catch_up.preview import preview_catch_up, question_before
from mnemic.jobs.catch_up.running import start_catch_up, step_catch_up
from mnemic.jobs.shared.selection import NothingMeantError, selection_named
from mnemic.store.line.catch_ups import get_job
from mnemic.store.line.rules import list_rules
from mnemic.store.mail.folders import plain_folders
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.search.selection import Selection
from mnemic.store.server.connections import connections

__all__ = ["Asked", "catch_up", "catch_up_lines"]


@dataclass(frozen=True, slots=True)
class Asked:
    """What a catch-up is asked to do: rules by name (none: all that are on), and which mail.

    ``since`` and ``until`` are days of the owner's calendar, the latter not included. Where no
    mail is named it is all but Sent, Junk and Trash, or, ``everywhere``, these too. ``takes_left``:
    also what a rule above, that is not one of these, places or stops.
    """

    names: Sequence[str] = ()
    folder: str | None = None
    deep: bool = True
    find: str | None = None
    since: datetime | None = None
    until: datetime | None = None
    everywhere: bool = False
    respects: bool = True
    takes_left: bool = False
    mailbox: int | None = None


def _plan(session: Session, asked: Asked) -> CatchUpPlan:
    line, zone = list_rules(session), read_preferences(session).zone
    missing = [name for name in asked.names if name not in {rule.rule.name for rule in line}]
    if missing:
        problem = f"there is no rule “{missing[0]}”; the names are those of the line"
        raise NothingMeantError(problem)
    chosen = [stored.id for stored in line if stored.rule.enabled and not asked.names]
    chosen += [stored.id for stored in line if stored.rule.name in asked.names]
    which = selection_named(session, folder=asked.folder, deep=asked.deep, find=asked.find)
    if asked.mailbox is not None:
        which = Selection(folders=plain_folders(session, asked.mailbox))

    def seconds(day: datetime | None) -> int | None:
        return None if day is None else int(datetime.combine(day, time(), zone).timestamp())

    since, until = seconds(asked.since), seconds(asked.until)
    return CatchUpPlan(
        tuple(chosen),
        which,
        since,
        until,
        everywhere=asked.everywhere,
        respects=asked.respects,
        takes_left=asked.takes_left,
    )


def _catch_up_mail(asked: Asked, *, dry_run: bool, sure: Callable[[str], bool]) -> list[str]:
    """Apply rules to mail; what was done, or with ``dry_run`` would be, in lines for a terminal.

    ``sure`` is asked where it moves much of the mail; if it says no, nothing is done. Raises
    NothingMeantError where a rule or the folder is not here.
    """
    with opened() as (_, database):
        now = datetime.now(UTC)
        with database.reading() as session:
            if dry_run:
                return catch_up_lines(session, asked)
            plan = _plan(session, asked)
            question = question_before(session, preview_catch_up(session, plan, now=now)[1])
            prepared = prepare_catch_up(session, plan, now=now)
        if question is not None and not sure(question):
            return ["Nothing was done"]
        with database.writing() as session:
            job = start_catch_up(session, prepared, now=now)
        more = True
        while more:
            with database.writing() as session:
                more = step_catch_up(session, job.id)
        with database.reading() as session:
            done = get_job(session, job.id)
            report = CatchUpReport.model_validate_json(done.report if done else "{}")
            return list(_lines(session, report))


def catch_up_lines(session: Session, asked: Asked) -> list[str]:
    """What a catch-up would do, in lines for a terminal."""
    report = preview_catch_up(session, _plan(session, asked), now=datetime.now(UTC))[1]
    return list(_lines(session, report))


def _lines(session: Session, report: CatchUpReport) -> Iterator[str]:
    names = {stored.id: stored.rule.name for stored in list_rules(session)}
    mailboxes = {
        connection.mailbox_id: connection.account.name for connection in connections(session)
    }
    counts = f"{report.taken} taken, {report.moved} moved, {report.labelled} labelled"
    yield f"{counts}, {report.marked} marked, {report.unchanged} in order already"
    if report.respected:
        yield f"{report.respected} left as you put them"
    for rule_id, count in report.left.items():
        yield f"{count} left to {names.get(rule_id, 'a deleted rule')}, above"
    for mailbox_id, places in sorted(report.moved_to.items()):
        where = f", {mailboxes[mailbox_id]}" if mailbox_id in mailboxes else ""
        for path, count in sorted(places.items()):
            yield f"  {count:>6}  to {path}{where}"
    for rule_id, share in report.by_rule.items():
        overruled = f", overruled for {share.overruled}" if share.overruled else ""
        yield f"  {share.taken:>6}  by {names.get(rule_id, 'a deleted rule')}{overruled}"


@click.command("catch-up")
@click.option(
    "--rule", "rules", multiple=True, metavar="NAME", help="A rule; else all that are on."
)
@click.option("--folder", metavar="PATH", help="The mail of one folder and of those below it.")
@click.option("--alone", is_flag=True, help="The folder alone, without those below it.")
@click.option("--find", metavar="SEARCH", help="What a search finds, as typed into Find.")
@click.option("--since", type=click.DateTime(["%Y-%m-%d"]), help="Received on that day or later.")
@click.option("--until", type=click.DateTime(["%Y-%m-%d"]), help="Received before that day.")
@click.option("--also-moved", is_flag=True, help="Also what you changed after a rule acted on it.")
@click.option("--take-left", is_flag=True, help="Also what rules above them place or stop.")
@click.option("--everywhere", is_flag=True, help="Also the mail in Sent, Junk and Trash.")
@click.option("--yes", is_flag=True, help="Don’t ask before much of the mail moves.")
@click.option("--dry-run", is_flag=True, help="Only tell what would happen.")
def catch_up(
    rules: tuple[str, ...],
    folder: str | None,
    find: str | None,
    since: datetime | None,
    until: datetime | None,
    *,
    alone: bool,
    also_moved: bool,
    take_left: bool,
    everywhere: bool,
    yes: bool,
    dry_run: bool,
) -> None:
    """Apply rules to mail already here. Each catch-up can be undone.

    Without --folder or --find, to all mail but what lies in Sent, Junk and Trash.
    """
    asked = Asked(
        rules,
        folder,
        not alone,
        find,
        since,
        until,
        everywhere=everywhere,
        respects=not also_moved,
        takes_left=take_left,
    )

    def sure(question: str) -> bool:
        # Only a person can be asked; who writes a script has said what is wanted.
        return yes or not sys.stdin.isatty() or click.confirm(f"{question}. Go on?", err=True)

    for line in _catch_up_mail(asked, dry_run=dry_run, sure=sure):
        click.echo(line)
