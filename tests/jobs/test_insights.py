"""The pictures: what each tells is what Find lists, and what the journal says of each day."""

import random
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from sqlmodel import Session

from mnemic.core import parse_message
from mnemic.core.search import understand
from mnemic.demo import load_demo
from mnemic.jobs import take_in
from mnemic.jobs.insights.flow import Flow, flow_of
from mnemic.jobs.insights.interruptions import Mark, interruptions_in, mail_behind
from mnemic.jobs.insights.period import MailOfPeriod, Period
from mnemic.jobs.insights.starts import starts_for
from mnemic.store import Database
from mnemic.store.journal.undo import undo_run
from mnemic.store.line.idle_rules import idle_rules
from mnemic.store.mail.inbox_past import InboxDay, inbox_at
from mnemic.store.mail.never_opened import never_opened
from mnemic.store.search.finding import find_messages
from tests.jobs.acting import do

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
AT = int(NOW.timestamp())
DAY = 86_400


@pytest.fixture(scope="module")
def office(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Session]:
    path = tmp_path_factory.mktemp("insights") / "data" / "mnemic.sqlite3"
    load_demo(Path(path), now=NOW)
    database = Database(path)
    with database.reading() as session:
        yield session
    database.close()


def found(session: Session, search: str) -> int:
    test = understand(search, NOW.date()).test
    assert test is not None
    return find_messages(session, test, UTC, limit=1).total


@pytest.mark.parametrize("days", [7, 30, 90, None])
def test_every_mark_of_the_flow_tells_what_find_lists(office: Session, days: int | None) -> None:
    mail = MailOfPeriod(office, Period(days), NOW)
    flow: Flow = flow_of(office, mail)
    assert flow.messages == found(office, mail.search) > 50
    for marks in (flow.sources, flow.places, flow.bands):
        assert sum(mark.messages for mark in marks) == flow.messages
        assert [found(office, mark.search) for mark in marks] == [m.messages for m in marks]
    assert all(1 <= len(side) <= 20 for side in (flow.sources, flow.places))


def test_of_an_account_that_nothing_came_to_there_is_nothing(office: Session) -> None:
    mail = MailOfPeriod(office, Period(30, "nobody@x.example"), NOW)
    assert flow_of(office, mail) == Flow(0, 0, (), (), ())


def test_what_interrupts_and_what_is_spared_are_all_mail(office: Session) -> None:
    mail = MailOfPeriod(office, Period(30), NOW)
    hours = interruptions_in(office, mail)
    reached, spared = (sum(map(sum, rows)) for rows in (hours.reached, hours.spared))
    assert (reached + spared, spared) == (hours.messages, hours.kept_away)
    assert hours.kept_away > 100
    assert mail_behind(office, mail, Mark(spared=True)).size == hours.kept_away


def test_behind_each_mark_of_the_hours_is_as_much_mail_as_it_shows(office: Session) -> None:
    mail = MailOfPeriod(office, Period(30), NOW)
    hours = interruptions_in(office, mail)
    for spared, rows in ((False, hours.reached), (True, hours.spared)):
        for weekday, row in enumerate(rows):
            behind = [
                mail_behind(office, mail, Mark(spared, weekday, number)) for number in range(24)
            ]
            assert [ids.size for ids in behind] == list(row)
            for hour, ids in enumerate(behind):
                for seconds in mail.masks.received_of(ids).tolist():
                    came = datetime.fromtimestamp(seconds, mail.zone)
                    assert (came.weekday(), came.hour) == (weekday, hour)


@pytest.mark.parametrize("seed", range(6))
def test_the_past_of_the_inbox_is_what_was_seen_then(database: Database, seed: int) -> None:
    """Days of mail and acts, looked at as they end, and from afterwards."""
    draw = random.Random(seed)  # noqa: S311
    with database.writing() as session:
        seen, runs = [], list[int]()
        for day in range(5):
            now = NOW + timedelta(days=day)
            for number in range(3):
                octets = b"From: a@x.example\nSubject: %d %d\n\n" % (day, number)
                take_in(session, parse_message(octets), received=now)
            for at in range(int(now.timestamp()), int(now.timestamp()) + draw.randrange(9)):
                ids = draw.sample(range(1, 3 * day + 4), draw.randint(1, 3))
                if runs and not draw.randrange(4):
                    undo_run(session, runs.pop(), at=at)
                else:
                    what = draw.choice(["read", "unread", "archive", "keep", "trash"])
                    run = do(session, ids, at=at, do=what).run_id
                    runs += [] if run is None else [run]
            ((lies, unread),) = session.connection().exec_driver_sql(
                "SELECT count(*), count(nullif(seen, 1)) FROM message WHERE folder_id ="
                " (SELECT id FROM folder WHERE role = 'inbox')"
            )
            seen.append(InboxDay(lies, unread))
        ends = [int((NOW + timedelta(days=day)).timestamp()) + 3_600 for day in range(5)]
        assert inbox_at(session, ends) == seen
        assert inbox_at(session, [AT - 1, *ends])[0] == InboxDay(0, 0)


def test_who_is_never_opened_is_told_until_one_message_was(database: Database) -> None:
    with database.writing() as session:
        for number in range(6):
            head = b"List-Id: <bells.example>\n" if number % 2 else b""
            for _ in range(5 if number < 2 else 4):
                octets = b"From: p%d@x.example\n%s\n" % (number, head)
                take_in(session, parse_message(octets), received=NOW)
        groups = [(group.list_id, group.sender, len(group.ids)) for group in never_opened(session)]
        assert groups == [("bells.example", "p1@x.example", 13), (None, "p0@x.example", 5)]
        do(session, never_opened(session)[0].ids[:1], do="read")
        assert [group.sender for group in never_opened(session)] == ["p0@x.example"]
        do(session, never_opened(session)[0].ids, do="trash")
        assert never_opened(session) == []


def test_rules_that_took_nothing_for_a_while_are_idle(office: Session) -> None:
    names = [idle.rule_id for idle in idle_rules(office, AT - 30 * DAY)]
    assert len(names) == 1  # “Old regatta notices” is off
    assert len(idle_rules(office, AT + DAY)) == 8


def test_starts_are_for_mail_that_is_here_and_that_no_rule_takes(office: Session) -> None:
    starts = {start.title: start for start in starts_for(office, now=NOW)}
    assert "Machines’ reports labelled and read" not in starts  # rules see to most of them
    newsletters = starts["Newsletters out of the way, to look into every two weeks"]
    assert (newsletters.takes, newsletters.look_in_days) == (found(office, "kind:newsletter"), 14)
    away = starts["An answer while I am away"].rule.active
    assert away is not None
    assert (away.first, away.last) == ("2026-05-04", "2026-05-18")
