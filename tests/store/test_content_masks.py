"""What readers share: right for every range and time, whatever was asked before and came meanwhile."""

from datetime import UTC, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, precondition, rule

from mnemic.core import Envelope, Given, parse_message, read_rule
from mnemic.core.fields import BaseCondition
from mnemic.core.rules.reading import read_test
from mnemic.core.search import understand
from mnemic.jobs import take_in
from mnemic.jobs.catch_up.clearing_out import clear_out
from mnemic.jobs.people.acts import act
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.store import Database
from mnemic.store.conditions_sql.ids import IdRange
from mnemic.store.engine.driver import driver
from mnemic.store.engine.session_memory import shared_by
from mnemic.store.journal.undo import undo_run
from mnemic.store.line.rules import add_rule
from mnemic.store.line.taken_mail import taken_on_days, taken_since
from mnemic.store.mail import trigram_index
from mnemic.store.mail.message_states import counts_by_folder
from mnemic.store.mail.message_views import stored_messages
from mnemic.store.owner.accounts import Account, change_account
from mnemic.store.search.content_masks import ContentMasks
from mnemic.store.search.finding import find_messages, ids_found
from mnemic.store.search.masks import Masks
from mnemic.store.search.readings import Readings
from mnemic.store.search.selection import Selection

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)


def condition(field: str, test: str, *values: Any, **more: Any) -> BaseCondition:
    read = read_test(
        {"field": field, "test": test, **({"values": list(values)} if values else {}), **more}
    )
    assert isinstance(read, BaseCondition)
    return read


PERMIT = condition("subject", "contains", "permit")


@given(
    st.lists(st.booleans(), min_size=1, max_size=70),
    st.lists(st.tuples(st.integers(0, 70), st.integers(0, 70)), max_size=8),
)
def test_any_range_may_be_asked_for_in_any_order(
    held: list[bool], asked: list[tuple[int, int]]
) -> None:
    masks = ContentMasks()
    ids: list[int] = []

    def find(missing: IdRange) -> Any:
        ids.extend(range(missing.low + 1, missing.high + 1))
        return np.array([n for n in ids if n > missing.low and held[n - 1]], np.int64)

    for ends in asked:
        low, high = sorted(min(end, len(held)) for end in ends)
        mask = masks.of(PERMIT, IdRange(low, high), find)
        assert mask.tolist() == held[low:high]
    assert len(ids) == len(set(ids)), "something was looked for twice"


def test_masks_and_readings_beyond_their_room_are_let_go() -> None:
    masks = ContentMasks(most=100)
    for number in range(20):
        masks.of(condition("subject", "is", str(number)), IdRange(0, 80), lambda _: np.array([7]))
        assert masks.octets <= 100
    big = masks.of(PERMIT, IdRange(0, 10_000), lambda _: np.array([9_999]))
    assert big.sum() == 1
    assert masks.octets <= 100


@given(
    st.lists(st.tuples(st.booleans(), st.frozensets(st.integers(1, 60), max_size=9))),
    st.integers(1, 12),
)
def test_readings_come_back_as_they_were(
    steps: list[tuple[bool, frozenset[int]]], together: int
) -> None:
    """Halves of characters among them, also where several threads read the same."""
    readings, wanted = Readings(together=together), dict[int, tuple[str, ...]]()
    for comes, keys in steps:
        if comes:
            new = {key: (f"{key}", "\udc80") for key in keys}
            readings.add(new)
            wanted |= new
        else:
            readings.forget(keys)
            wanted = {key: value for key, value in wanted.items() if key not in keys}
        assert readings.of(range(1, 99)) == wanted
        assert readings.of([3, 4]) == {key: wanted[key] for key in (3, 4) if key in wanted}


def test_readings_without_room_are_not_kept() -> None:
    readings = Readings(most=10_000)
    for first in range(1, 40_000, 200):
        readings.add({key: (f"{key:x}" * 3,) for key in range(first, first + 200)})
        assert readings.nbytes <= 20_000  # one more, and the index that it needs
    assert len(readings.of(range(40_000))) in range(200, 4_000)


CONDITIONS = [
    PERMIT,
    condition("subject", "regex", "^a"),
    condition("from", "is", "ann@x.example"),
    condition("body", "words", "berth"),
    condition("header", "contains", "yes", name="X-Org"),
    condition("attachment", "exists"),
    condition("size", "over", 120),
    condition("kind", "is", "newsletter"),
    condition("sent", "on", "2026-05-04"),
    condition("received", "before", "2026-05-04"),
    condition("age", "over", "36 hours"),
    condition("contact", "is", "first"),
    condition("addressed", "is", "to_me"),
    condition("seen", "is", True),
    condition("folder", "is", "Archive"),
]
WORDS = ["permit", "a permit", "berth", "other"]


FLAG = {"do": "flag"}


def doing(do: str) -> Any:
    """An action, as rules have it."""
    read = read_rule({"name": "r", "when": {"always": True}, "then": [{"do": do}]})
    return read.then[0]


class Mailbox(RuleBasedStateMachine):
    """Mail comes, is moved, put back and destroyed, while a reader asks now and then."""

    @initialize()
    def begin(self) -> None:
        self.folder, self.pending = TemporaryDirectory(), trigram_index._PENDING
        trigram_index._PENDING = 3  # some are indexed, and some wait for it
        self.database = Database(Path(self.folder.name) / "mnemic.sqlite3")
        with self.database.writing() as session:
            change_account(session, Account(0, "Office", "me@y.example", ()))
            for number, word in enumerate(("permit", "berth")):
                when = {"field": "subject", "test": "contains", "values": [word]}
                add_rule(session, read_rule({"name": f"r{number}", "when": when, "then": [FLAG]}))
        self.came, self.now = 0, NOW
        self.runs: list[int] = []

    def teardown(self) -> None:
        if hasattr(self, "database"):
            self.database.close()
            self.folder.cleanup()
            trigram_index._PENDING = self.pending

    @rule(
        word=st.sampled_from(WORDS), sender=st.sampled_from(["ann", "ben"]), org=st.booleans(),
        hours=st.integers(0, 60),
    )  # fmt: skip
    def arrive(self, word: str, sender: str, org: bool, hours: int) -> None:
        self.came += 1
        extra = "X-Org: yes\nPrecedence: bulk\nList-Id: <n.x.example>\n" if org else ""
        octets = f"From: {sender}@x.example\nTo: me@y.example\n{extra}Date: Mon, 4 May 2026 09:00:00 +0000\nSubject: {word}\n\n{word} {self.came}\n"  # fmt: skip
        message = parse_message(octets.encode(), Envelope(None, ("me@y.example",)))
        with self.database.writing() as session:
            take_in(session, message, received=NOW - timedelta(hours=hours))

    @precondition(lambda self: self.came > 0)
    @rule(do=st.sampled_from(["archive", "read", "erase", "trash", "unflag"]), data=st.data())
    def change(self, do: str, data: Any) -> None:
        key = data.draw(st.integers(1, self.came))
        with self.database.writing() as session:
            selection = Selection(ids=(key,))
            acted = act(session, selection, doing(do), at=int(self.now.timestamp()))
            self.runs += [acted.run_id] if acted.run_id else []

    @precondition(lambda self: self.runs)
    @rule()
    def undo(self) -> None:
        with self.database.writing() as session:
            undo_run(session, self.runs.pop(), at=int(self.now.timestamp()))

    @rule()
    def destroy(self) -> None:
        self.now += timedelta(days=40)
        self.runs.clear()
        with self.database.writing() as session:
            clear_out(session, now=int(self.now.timestamp()))
            here = {key for (key,) in driver(session).execute("SELECT id FROM message")}
            for condition in CONDITIONS:
                read = shared_by(session, ContentMasks).readings(condition.reading)
                known = read.of(range(1, self.came + 1))
                assert known.keys() <= here, "what was destroyed is still in memory"

    @rule(glance=st.booleans())
    def ask(self, glance: bool) -> None:
        with self.database.reading() as session:
            around = MailboxCircumstances(session, self.now)
            masks = Masks(session, around.of(self.now))
            sql = "SELECT folder_id, count(*), sum(seen = 0) FROM message GROUP BY folder_id"
            rows = driver(session).execute(sql).fetchall()
            total, unread = counts_by_folder(session)
            assert [(folder, total[folder], unread.get(folder, 0)) for folder in total] == rows
            for flagged in (True, False):
                sql = "SELECT id FROM message WHERE flagged = ? ORDER BY id"
                ids = [key for (key,) in driver(session).execute(sql, (flagged,))]
                marked = masks.with_value("flagged", flagged, IdRange(0, masks.top))
                assert [key for key in np.flatnonzero(marked) + 1 if masks.folder_of[key]] == ids
            for typed in ("permit", "-permit", "from:ann -berth"):
                test = understand(typed, NOW.date()).test
                assert test is not None
                hits = find_messages(session, test, UTC, limit=100)
                statement = ids_found(session, test, UTC)
                rows = driver(session).execute(statement.sql, statement.parameters).fetchall()
                assert {row.id for row in hits.rows} == {key for (key,) in rows}
                assert hits.total == len(rows)
            low = masks.top // 2 if glance else 0
            there = np.flatnonzero(masks.there(IdRange(low, masks.top))) + low + 1
            for condition in CONDITIONS:
                held = np.flatnonzero(masks.of(condition, IdRange(low, masks.top))) + low + 1
                wanted = [
                    message.id
                    for message in stored_messages(session, iter(there.tolist()))
                    if condition.holds(message, Given(message.state, around.of(message.received or NOW, message.id)))
                ]  # fmt: skip
                assert sorted(set(held) & set(there)) == sorted(wanted), condition

    @rule(earlier=st.booleans(), writes=st.booleans())
    def count(self, earlier: bool, writes: bool) -> None:
        """What rules took, by the time that a window begins, asked by a reader or by a writer."""
        since = int((NOW - timedelta(hours=60 if earlier else 20)).timestamp())
        midnights = [since, since + 36_000, since + 72_000]
        with self.database.writing() if writes else self.database.reading() as session:
            sql = "SELECT rule_id, at, message_id FROM trail WHERE at >= ?"
            rows = driver(session).execute(sql, (since,)).fetchall()
            by_rule = {key: {m for k, _, m in rows if k == key} for key in (1, 2)}
            assert taken_since(session, since) == {k: len(m) for k, m in by_rule.items() if m}
            for key in (1, 2):
                days = taken_on_days(session, key, midnights)
                assert [set(day.tolist()) for day in days] == [
                    {m for k, at, m in rows if k == key and begin <= at < end}
                    for begin, end in zip(midnights, [*midnights[1:], 2**40], strict=True)
                ]


Mailbox.TestCase.settings = settings(max_examples=25, stateful_step_count=18, deadline=None)
TestMailbox = Mailbox.TestCase
