"""Searches answered by SQL: the same as the core's answer, message by message."""

from collections.abc import Iterator
from datetime import UTC, date, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st
from sqlmodel import Session

from mnemic.core import Envelope, parse_message
from mnemic.core.actions import MarkAction, PlaceAction
from mnemic.core.evaluation.matching import try_test
from mnemic.core.fields import Given as ConditionGiven
from mnemic.core.message import Circumstances
from mnemic.core.search import understand
from mnemic.demo import add_rules, generate, office
from mnemic.jobs import take_in
from mnemic.jobs.people.acts import act
from mnemic.store import Database
from mnemic.store.engine.reader_cache import ReadingSession
from mnemic.store.mail.listing import message_ids
from mnemic.store.mail.message_views import StoredMessage, stored_messages
from mnemic.store.owner.accounts import Account, change_account
from mnemic.store.search import finding
from mnemic.store.search.finding import Found, NotSearchableError, find_first, find_messages
from mnemic.store.search.selection import Selection

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
TODAY = date(2026, 5, 4)
ZONE = ZoneInfo("Europe/Lisbon")
FLAG = MarkAction(do="flag")

#: Mail that folding, several values in one column, and short or odd texts could trip over.
ODD = [
    "From: STRASSE <a@straße.example>\nSubject: Ｆｕｌｌ width\n\nin\u00advoice",
    'From: "O\'Brien ""x""" <o@x.example>\nTo: a@b.example, c@d.example\nSubject: 100%_"quoted"\n\n',
    "From: x@y.example\nSubject: =?utf-8?q?r=C3=A9sum=C3=A9?=\n\nb.example\nc@d",
    "Subject: ab\n\nab\u00a0cd",
]

TERMS = [
    "permit", "heron", "berth number", "Licence", "strasse", "straße", "full width", "invoice", "100%",
    "_", '"', "a@b.example c@d", "b.example", "résumé", "RESUME", "ab cd", "mo", "x", "oorings@wendle",
    "from:aurelio", "from:post.example", "to:moorings@", "-to:moorings@", "subject:permit", "body:permit",
    "folder:Inbox", "folder:moorings/permits", "-folder:Gauges", "folder:nowhere", "label:permit",
    "kind:newsletter", "-kind:personal", "on:2026-04-20", "before:2026-03-01", "after:2026-04-30",
    "attachment:yes", "attachment:no", "attachment:insurance", "list:boaters", "account:tamsin@wendle-lyde.example",
    "priority:high", "state:unread", "-state:read", "state:flagged", "[boaters]",
]  # fmt: skip


@pytest.fixture(scope="module")
def session(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Session]:
    path: Path = tmp_path_factory.mktemp("finding") / "data" / "mnemic.sqlite3"
    database = Database(path)
    with database.writing() as writing:
        plan = office()
        change_account(
            writing, Account(0, "office", "tamsin@wendle-lyde.example", tuple(plan["aliases"]))
        )
        add_rules(writing)
        for letter in generate(NOW)[::4]:
            message = parse_message(letter.octets, Envelope(None, letter.recipients))
            take_in(writing, message, received=letter.received, seen=letter.seen)
        act(writing, Selection(search=understand("berths", TODAY).test), FLAG, at=0)
        for text in ODD:
            take_in(writing, parse_message(text.encode()), received=NOW)
    with database.reading() as reading:
        yield reading
    database.close()


_VIEWS: list[StoredMessage] = []


def by_the_core(session: Session, typed: str) -> list[int]:
    test = understand(typed, TODAY).test
    assert test is not None
    around = Circumstances(now=NOW, timezone=ZONE)
    if not _VIEWS:  # parsed and folded once for all searches
        _VIEWS.extend(stored_messages(session, message_ids(session)))
    return [
        message.id
        for message in _VIEWS
        if try_test(test, message, ConditionGiven(message.state, around)).held
    ]


@settings(deadline=None, max_examples=60, suppress_health_check=list(HealthCheck))
@given(st.lists(st.sampled_from(TERMS), min_size=1, max_size=3, unique=True).map(" ".join))
def test_sql_finds_what_the_core_takes(session: Session, typed: str) -> None:
    test = understand(typed, TODAY).test
    assume(test is not None)  # a lone quote asks for nothing
    assert test is not None
    wanted = by_the_core(session, typed)
    hits = find_messages(session, test, ZONE, limit=100_000)
    assert [row.id for row in hits.rows] == wanted
    assert hits.total == len(wanted)


@pytest.mark.parametrize("typed", TERMS)
def test_each_term_alone_and_turned_round(session: Session, typed: str) -> None:
    for asked in (typed, typed[1:] if typed.startswith("-") else f"-{typed}"):
        test = understand(asked, TODAY).test
        if test is None:  # a lone quote
            continue
        hits = find_messages(session, test, ZONE, limit=100_000)
        assert [row.id for row in hits.rows] == by_the_core(session, asked), asked


@pytest.mark.parametrize("by_index", [True, False])
@pytest.mark.parametrize(("at_once", "soon"), [(0, 9), (0, 0), (9, 0)])
@pytest.mark.parametrize("typed", TERMS)
def test_the_first_page_begins_as_that_of_all_and_counts_at_most_as_many(
    session: ReadingSession,
    monkeypatch: pytest.MonkeyPatch,
    typed: str,
    by_index: bool,
    at_once: float,
    soon: float,
) -> None:
    monkeypatch.setattr(finding, "_FIRST_STEP", 16)
    monkeypatch.setattr(finding, "_NEXT_STEP", 16)
    monkeypatch.setattr(finding._Walk, "seconds_for", lambda *_: 99 if by_index else -1)
    monkeypatch.setattr(finding, "_AT_ONCE", at_once)
    monkeypatch.setattr(finding, "_SOON", soon)
    monkeypatch.setattr(finding, "_is_known", lambda *_: False)
    test = understand(typed, TODAY).test
    if test is None:  # a lone quote
        return
    wanted = by_the_core(session, typed)
    for limit in (1, 7, 1_000):
        first = find_first(session, test, ZONE, limit=limit)
        ids, page = [row.id for row in first.rows], wanted[:limit]
        assert ids == page[: len(ids)]
        assert ids == page or (ids and soon == 0 and at_once == 0 and not first.whole)
        assert len(ids) <= first.total <= len(wanted)
        assert first.whole <= (first.total == len(wanted))
        assert first.whole or at_once == 0


def test_pages_of_a_result_follow_each_other(session: Session) -> None:
    test = understand("permit", TODAY).test
    assert test is not None
    whole = find_messages(session, test, ZONE, limit=500)
    pages = [find_messages(session, test, ZONE, offset=at, limit=20) for at in range(0, 500, 20)]
    assert [row.id for page in pages for row in page.rows] == [row.id for row in whole.rows]
    assert {page.total for page in pages} == {whole.total}


def test_what_sql_can_not_tell_is_refused(session: Session) -> None:
    from mnemic.core.rules.reading import read_test

    with pytest.raises(NotSearchableError):
        find_messages(
            session,
            read_test({"field": "header", "name": "X-Tag", "test": "is", "values": ["a"]}),
            ZONE,
        )


def test_where_nothing_is_left_nothing_is_found_first(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(finding, "_FIRST_STEP", 1)
    with database.writing() as writing:
        for _ in range(3):
            take_in(writing, parse_message(b"Subject: permit\n\n"), received=NOW)
        act(writing, Selection(ids=(1, 2, 3)), PlaceAction(do="erase"), at=0)
    test = understand("permit", TODAY).test
    assert test is not None
    with database.reading() as reading:
        assert find_first(reading, test, ZONE, limit=5) == Found([], 0)
