"""What a rule has done, day by day, and the hint that it may be wrong where people take it back."""

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from sqlmodel import Session

from mnemic.core import parse_message, read_rule
from mnemic.core.actions import FileAction, UnlabelAction
from mnemic.jobs import take_in
from mnemic.jobs.catch_up.clearing_out import clear_out
from mnemic.jobs.line.line_changes import change_rule, make_rule
from mnemic.jobs.line.order_findings import check_order
from mnemic.jobs.people.acts import PlainAct, act
from mnemic.store import Database
from mnemic.store.journal.undo import RunPart, undo_run
from mnemic.store.line.rule_work import put_back_by_hand, work_of
from mnemic.store.line.rules import list_rules
from mnemic.store.line.taken_mail import taken_since
from mnemic.store.owner.preferences import Preferences, change_preferences
from mnemic.store.search.selection import Selection
from tests.jobs.catching_up import catch_up
from tests.jobs.test_arrivals_in_history import sorting_runs

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
AT = int(NOW.timestamp())
FILE = {"do": "file", "folder": "Permits"}


def permits(*then: dict[str, Any], word: str = "permit") -> Any:
    when = {"field": "subject", "test": "words", "values": [word]}
    return read_rule({"name": "Permits", "when": when, "then": list(then) or [FILE]})


@pytest.fixture
def session(database: Database) -> Iterator[Session]:
    with database.writing() as opened:
        yield opened


def arrive(session: Session, *days_ago: float) -> list[int]:
    return [
        take_in(
            session,
            parse_message(f"Subject: permit {n}\n\n".encode()),
            received=NOW - timedelta(days=ago),
        ).message_id
        for n, ago in enumerate(days_ago)
    ]


def test_what_a_rule_took_is_counted_by_the_owners_days(session: Session) -> None:
    change_preferences(session, Preferences(timezone="Asia/Tokyo"))  # 18:00 there
    (rule,) = make_rule(session, permits(), at=AT).rules
    arrive(session, 40, 29.7, 29.8, 6.5, 1, 0.76, 0.74, 0.1)
    midnights = Preferences(timezone="Asia/Tokyo").midnights(AT, 30)
    work = work_of(session, rule.id, midnights)
    assert (work.days[0], work.days[-2], work.days[-1]) == (1, 2, 2)
    assert (sum(work.days), work.week, work.whole) == (6, 5, 6)
    assert work.last == int((NOW - timedelta(days=0.1)).timestamp())
    nothing = work_of(session, 99, midnights)
    assert (nothing.whole, nothing.last) == (0, None)


def hints(session: Session) -> list[tuple[int, ...]]:
    return [
        finding.newest for finding in check_order(session, now=NOW) if finding.kind == "put_back"
    ]


def test_work_that_was_put_back_more_than_twice_is_a_hint_with_those_messages(
    session: Session,
) -> None:
    label = {"do": "label", "label": "P"}
    (rule,) = make_rule(session, permits(FILE, label), at=AT - 30 * 86_400).rules
    ids = arrive(session, *[3] * 7)

    def put_back() -> list[int]:
        return put_back_by_hand(session, AT - 86_400).get(rule.id, [])

    def one(key: int, what: Any, at: int = AT) -> int:
        return act(session, Selection(ids=(key,)), what, at=at).run_id or 0

    one(ids[0], PlainAct(do="put_back"))
    one(ids[1], FileAction(do="file", folder="Inbox"))
    one(ids[2], FileAction(do="file", folder="Elsewhere"))  # filed further on: the rule was right
    one(ids[3], PlainAct(do="put_back"), at=AT - 40 * 86_400)  # too long ago
    assert (put_back(), hints(session)) == ([ids[1], ids[0]], [])
    unlabelled = one(ids[4], UnlabelAction(do="unlabel", label="P"))
    (run,) = sorting_runs(session)
    undo_run(session, run.id, at=AT, part=RunPart(message_id=ids[5]))
    assert put_back() == [ids[5], ids[4], ids[1], ids[0]]
    assert hints(session) == [(ids[5], ids[4], ids[1], ids[0])]
    undo_run(session, unlabelled, at=AT)
    assert put_back() == [ids[5], ids[1], ids[0]]
    change_rule(session, rule.id, permits(word="licence"), at=AT + 1)
    assert (put_back(), hints(session)) == ([], [])


def test_undoing_a_whole_run_says_nothing_against_the_rule(session: Session) -> None:
    arrive(session, 3, 3, 3, 3)
    (rule,) = make_rule(session, permits(), at=AT - 10).rules
    catch_up(session, rule, at=AT - 5)
    newest = session.connection().exec_driver_sql("SELECT max(id) FROM run").scalar()
    undo_run(session, newest or 0, at=AT)
    assert len(list_rules(session)) == 1
    assert put_back_by_hand(session, 0) == {}


def test_of_mail_that_is_destroyed_no_rule_has_taken_any(database: Database) -> None:
    """What readers know of the trail stays; messages go, and come, meanwhile."""
    with database.writing() as session:
        (rule,) = make_rule(session, permits({"do": "erase"}), at=AT).rules
        make_rule(session, permits(word="berth"), at=AT)
        arrive(session, 0.2, 0.1)
    midnights = Preferences().midnights(AT, 30)
    for came, berth, day, known in (
        (0, 0, 0, 2), (1, 1, 0, 3), (0, 0, 100, 0), (2, 0, 0, 2), (0, 0, 100, 0), (3, 0, 0, 3)
    ):  # fmt: skip
        with database.writing() as session:
            arrive(session, *[0.3] * came)
            for _ in range(berth):
                take_in(session, parse_message(b"Subject: berth\n\n"), received=NOW)
            clear_out(session, now=AT + day * 86_400)
        with database.reading() as session:
            assert taken_since(session, midnights[0]).get(rule.id, 0) == known
            assert work_of(session, rule.id, midnights).whole == known


def test_who_began_to_read_earlier_sees_what_was_there_then(database: Database) -> None:
    with database.writing() as session:
        (rule,) = make_rule(session, permits(), at=AT).rules
        arrive(session, 0.2)
    with database.reading() as earlier:
        assert taken_since(earlier, 0) == {rule.id: 1}
        with database.writing() as session:
            arrive(session, 0.1)
            assert taken_since(session, 0) == {rule.id: 2}
            with database.reading() as beside:  # what is not committed is nobody else's
                assert taken_since(beside, 0) == {rule.id: 1}
        with database.reading() as later:
            assert taken_since(later, 0) == {rule.id: 2}
        assert taken_since(earlier, 0) == {rule.id: 1}


def test_the_newest_message_may_be_destroyed_while_an_older_one_is_acted_on(
    database: Database,
) -> None:
    with database.writing() as session:
        (erases,) = make_rule(session, permits({"do": "erase"}), at=AT).rules
        berth = parse_message(b"Subject: berth\n\n")
        take_in(session, berth, received=NOW, rules=[])
        arrive(session, 0.1)
        (files,) = make_rule(session, permits(word="berth"), at=AT).rules
        catch_up(session, files, at=AT + 1)
    for destroyed, known in ((False, {erases.id: 1, files.id: 1}), (True, {files.id: 1})):
        with database.writing() as session:
            clear_out(session, now=AT + destroyed * 100 * 86_400)
        with database.reading() as session:
            assert taken_since(session, AT - 86_400) == known
            assert work_of(session, erases.id, [AT - 86_400] * 7).whole == known.get(erases.id, 0)
