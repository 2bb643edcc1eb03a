"""Once a day, and late where a day was missed: rules on age run, and what is over is destroyed."""

import time
from datetime import UTC, datetime, timedelta
from email.message import EmailMessage
from pathlib import Path
from typing import Any

import pytest
import time_machine

from mnemic.core import parse_message, read_rule
from mnemic.core.actions import FileAction, PlaceAction
from mnemic.jobs import take_in
from mnemic.jobs.catch_up.clearing_out import clear_out, compact
from mnemic.jobs.catch_up.daily import is_due, moment_from, prepare_daily, start_daily
from mnemic.jobs.catch_up.passing import CatchUpReport
from mnemic.jobs.catch_up.planning import CatchUpPlan
from mnemic.jobs.catch_up.running import step_catch_up
from mnemic.jobs.catch_up.worker import Worker
from mnemic.jobs.people.acts import act
from mnemic.store import Database
from mnemic.store.engine.backup import check_database
from mnemic.store.engine.sql import fetch
from mnemic.store.journal.trail import trail_of
from mnemic.store.line.catch_ups import get_job, jobs_to_do
from mnemic.store.line.rules import add_rule
from mnemic.store.mail.folders import folder_paths
from mnemic.store.mail.messages import message_row
from mnemic.store.owner.preferences import Preferences, change_preferences
from mnemic.store.search.selection import Selection
from tests.jobs.catching_up import start

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
DAY = timedelta(days=1)


def expired(**more: Any) -> Any:
    when = {"field": "age", "test": "over", "values": ["7 days"]}
    then = [{"do": "file", "folder": "Old"}]
    rule = {"name": "Expired", "runs": ["daily"], "when": when, "then": then}
    return read_rule({**rule, **more})


@pytest.mark.parametrize(
    ("zone", "hour", "at", "moment"),
    [
        ("UTC", 4, "2026-05-04T09:00+00:00", "2026-05-05T04:00+00:00"),
        ("UTC", 9, "2026-05-04T09:00+00:00", "2026-05-04T09:00+00:00"),
        ("Asia/Tokyo", 4, "2026-05-04T18:59+00:00", "2026-05-04T19:00+00:00"),
        # The night in which clocks go forward: there is no half past two.
        ("Europe/Lisbon", 1, "2026-03-29T00:30+00:00", "2026-03-29T01:00+00:00"),
        ("Europe/Lisbon", 4, "2026-03-28T12:00+00:00", "2026-03-29T03:00+00:00"),
    ],
)
def test_the_daily_moment_is_by_the_owners_clock(
    zone: str, hour: int, at: str, moment: str
) -> None:
    daily = moment_from(
        Preferences(timezone=zone, daily_hour=hour), int(datetime.fromisoformat(at).timestamp())
    )
    assert datetime.fromtimestamp(daily, UTC) == datetime.fromisoformat(moment)


def run_day(database: Database, now: datetime) -> CatchUpReport | None:
    with database.writing() as session:
        if not is_due(session, now=now):
            return None
        job = start_daily(session, prepare_daily(session, now=now), now=now)
        while step_catch_up(session, job.id):
            pass
        done = get_job(session, job.id)
    assert done is not None
    return CatchUpReport.model_validate_json(done.report)


def test_a_rule_on_age_runs_once_a_day_and_leaves_alone_what_was_moved_since(
    database: Database,
) -> None:
    with database.writing() as session:
        ids = [
            take_in(
                session, parse_message(b"Subject: a\n\n"), received=NOW - days * DAY, rules=[]
            ).message_id
            for days in (3, 6, 20)
        ]
        add_rule(session, expired())
        add_rule(session, expired(enabled=False, then=[{"do": "flag"}]))
    first = run_day(database, NOW)
    assert first is not None
    assert (first.moved, first.marked) == (1, 0)
    assert run_day(database, NOW + timedelta(hours=18)) is None  # not yet four in the morning
    second = run_day(database, NOW + timedelta(hours=19))
    assert second is not None
    assert (second.moved, second.unchanged) == (0, 1)
    with database.writing() as session:
        assert trail_of(session, ids)[ids[2]][0].event == "daily"
        back = FileAction(do="file", folder="Mine")
        act(session, Selection(ids=(ids[2],)), back, at=int((NOW + 2 * DAY).timestamp()))
    late = run_day(database, NOW + 9 * DAY)  # asleep for a week: once, not seven times
    assert late is not None
    assert (late.moved, late.respected) == (2, 1)
    assert run_day(database, NOW + 9 * DAY + timedelta(hours=1)) is None


def test_nothing_goes_outside_once_a_day_and_the_trail_says_so(database: Database) -> None:
    forward = {"do": "forward", "to": ["b@x.example"]}
    with database.writing() as session:
        octets = b"From: a@x.example\nTo: me@x.example\nSubject: a\n\n"
        arrival = take_in(session, parse_message(octets), received=NOW - 20 * DAY, rules=[])
        add_rule(session, expired(then=[forward, {"do": "flag"}]))
    run_day(database, NOW)
    with database.reading() as session:
        (entry,) = trail_of(session, [arrival.message_id])[arrival.message_id]
        assert "only mail that comes in or goes out is forwarded" in entry.actions
        assert session.connection().exec_driver_sql("SELECT count(*) FROM posted").scalar() == 0


def on_disk(database: Database) -> bytes:
    files = database.path.parent.glob(f"{database.path.name}*")
    return b"".join(file.read_bytes() for file in files)


@pytest.mark.parametrize("rule_erases", [True, False])
def test_erased_mail_is_held_back_and_then_leaves_no_trace_on_the_disk(
    database: Database, rule_erases: bool
) -> None:
    letter = EmailMessage()
    letter["From"], letter["Subject"] = "quagga@zoo.example", "zyzzyva"
    letter.set_content("xylotomous " * 5_000)
    marks = (b"quagga@zoo", b"zyzzyva", b"xylotomous", b"xyl")
    erase = PlaceAction(do="erase")
    rule = read_rule({"name": "Gone", "when": {"always": True}, "then": [{"do": "erase"}]})
    with database.writing() as session:
        take_in(session, parse_message(b"Subject: kept\n\nkept"), received=NOW, rules=[])
        if rule_erases:
            add_rule(session, rule)
        erased = take_in(session, parse_message(bytes(letter)), received=NOW).message_id
        act(session, Selection(ids=(erased,)), erase, at=int(NOW.timestamp()))
        assert message_row(session, erased) is None  # out of sight
        assert clear_out(session, now=int((NOW + 29 * DAY).timestamp())) == 0
    assert all(mark in on_disk(database) for mark in marks[:3])
    with database.writing() as session:
        assert clear_out(session, now=int((NOW + 30 * DAY).timestamp())) == 1
    compact(database)
    assert [mark for mark in marks if mark in on_disk(database)] == []
    with database.writing() as session:
        newer = take_in(session, parse_message(b"Subject: b\n\n"), received=NOW, rules=[])
        assert newer.message_id > erased  # no history of one message becomes another's
    assert list(check_database(database.path)) == []


def test_the_worker_makes_up_for_a_missed_day_at_its_start(
    database: Database, tmp_path: Path
) -> None:
    with database.writing() as session:
        change_preferences(session, Preferences(undo_days=1))
        octets = parse_message(b"Subject: a\n\n")
        take_in(session, octets, received=NOW - timedelta(days=6), rules=[])
        gone = take_in(session, octets, received=NOW, rules=[]).message_id
        act(session, Selection(ids=(gone,)), PlaceAction(do="erase"), at=int(NOW.timestamp()))
        add_rule(session, expired())
        start_daily(session, prepare_daily(session, now=NOW), now=NOW)
    with time_machine.travel(NOW + 5 * DAY):
        worker = Worker(database, tmp_path / "queue.sqlite3")
        worker.start()
        try:
            for _ in range(200):
                with database.reading() as session:
                    done = not is_due(session, now=NOW + 5 * DAY) and not jobs_to_do(session)
                    # Read to its end: a cursor left open would go on seeing the old state.
                    ((left,),) = fetch(session, "SELECT count(*) FROM message")
                if done and left == 1:
                    break
                time.sleep(0.05)
            else:
                pytest.fail("the day was not made up for")
        finally:
            worker.stop()
    with database.reading() as session:
        row = message_row(session, 1)
        assert row is not None
        assert folder_paths(session)[row.folder_id] == "Old"


def test_a_catch_up_left_by_another_process_is_finished_before_the_next_begins(
    database: Database,
) -> None:
    then = [{"do": "file", "folder": "Old"}, {"do": "label", "label": "Twice"}]
    with database.writing() as session:
        take_in(session, parse_message(b"Subject: a\n\n"), received=NOW - 20 * DAY, rules=[])
        first, second = (add_rule(session, expired(then=[action])) for action in then)
        left, mine = (
            start(session, CatchUpPlan((stored.id,)), now=NOW).id for stored in (first, second)
        )
        while step_catch_up(session, mine):
            assert get_job(session, left) is not None
        jobs = [get_job(session, job_id) for job_id in (left, mine)]
        assert [job.state for job in jobs if job] == ["done", "done"]
        assert jobs_to_do(session) == []
