"""Boundaries on both sides in what the jobs tell and when they begin."""

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from mnemic.core import Rule, parse_message, read_rule
from mnemic.core.fields import Evidence
from mnemic.jobs import rehearse, take_in
from mnemic.jobs.catch_up.daily import is_due, start_daily
from mnemic.jobs.catch_up.passing import CatchUpReport
from mnemic.jobs.catch_up.planning import CatchUpPlan
from mnemic.jobs.catch_up.running import step_catch_up
from mnemic.jobs.line.order_findings import check_order
from mnemic.jobs.rehearsal.proposals import propose
from mnemic.jobs.shared.excerpts import excerpt
from mnemic.store import Database
from mnemic.store.engine.sql import fetch
from mnemic.store.line.catch_ups import get_job, next_messages
from mnemic.store.line.rules import add_rule
from mnemic.store.mail.messages import message_row
from tests.jobs.catching_up import start

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)


def rule(name: str, field: str, word: str, *then: dict[str, Any], **more: Any) -> Rule:
    when = {"field": field, "test": "contains", "values": [word]}
    return read_rule({"name": name, "when": when, "then": list(then), **more})


@pytest.mark.parametrize(
    ("before", "matched", "after", "shown"),
    [
        ("a" * 58, "permit", "b" * 56, "a" * 58 + "permit" + "b" * 56),  # 120 characters: whole
        ("a" * 58, "permit", "b" * 57, f"…{'a' * 40}permit{'b' * 40}…"),
        ("a" * 40, "permit", "b" * 80, f"{'a' * 40}permit{'b' * 40}…"),
        ("a" * 80, "permit", "b" * 40, f"…{'a' * 40}permit{'b' * 40}"),
        ("", "x" * 121, "", f"{'x' * 120}x"),
    ],
)  # fmt: skip
def test_evidence_is_cut_to_a_line_at_both_ends(
    before: str, matched: str, after: str, shown: str
) -> None:
    evidence = Evidence("body", before + matched + after, (len(before), len(before) + len(matched)))
    piece = excerpt(evidence)
    assert piece.value == shown
    assert piece.value[piece.start : piece.end] == matched[:120]


@pytest.mark.parametrize(
    ("at", "due"),
    [
        (NOW, False),  # it has just run
        (datetime(2026, 5, 5, 3, 59, 59, tzinfo=UTC), False),
        (datetime(2026, 5, 5, 4, tzinfo=UTC), True),
        (datetime(2026, 5, 9, 12, tzinfo=UTC), True),  # a Mnemic that slept is late
    ],
)
def test_the_daily_run_is_due_from_its_hour_on_and_once_however_late(
    database: Database, at: datetime, due: bool
) -> None:
    with database.writing() as session:
        assert is_due(session, now=NOW)  # it never ran
        start_daily(session, None, now=NOW)
        assert is_due(session, now=at) is due
        if due:
            start_daily(session, None, now=at)
            assert not is_due(session, now=at + timedelta(seconds=1))


@pytest.mark.parametrize("stops", [False, True])
def test_mail_that_a_rule_stops_is_in_no_conflict_below_it(database: Database, stops: bool) -> None:
    label = {"do": "label", "label": "Seen"}
    with database.writing() as session:
        add_rule(session, rule("Stop", "subject", "permit", label, stop=stops))
        add_rule(session, rule("File", "body", "berth", {"do": "file", "folder": "F"}))
        add_rule(session, rule("Away", "from", "ann", {"do": "archive"}))
        octets = b"From: ann@x.example\nSubject: permit\n\nberth"
        take_in(session, parse_message(octets), received=NOW, rules=[])
        conflicts = [
            finding.kind for finding in check_order(session, now=NOW) if finding.kind == "conflict"
        ]
        assert conflicts == ([] if stops else ["conflict"])


@pytest.mark.parametrize(("taken", "risky"), [(3, False), (4, True)])
def test_more_than_three_tenths_of_the_inbox_are_a_risk(
    database: Database, taken: int, risky: bool
) -> None:
    with database.writing() as session:
        for number in range(10):
            subject = "permit" if number < taken else "other"
            take_in(
                session,
                parse_message(f"Subject: {subject} {number}\n\n".encode()),
                received=NOW,
                rules=[],
            )
    with database.reading() as session:
        rehearsal = rehearse(session, rule("R", "subject", "permit", {"do": "archive"}), now=NOW)
        assert any("in the inbox" in risk for risk in rehearsal.risks) is risky


def test_what_is_proposed_of_a_message_is_narrowest_first_and_takes_it(database: Database) -> None:
    with database.writing() as session:
        for number in range(12):
            sender, subject = (
                ("ann@x.example", "permit") if number < 2 else (f"b{number}@x.example", "ferry")
            )
            octets = f"From: {sender}\nTo: me@x.example\nSubject: {subject} timetable\n\n".encode()
            take_in(
                session, parse_message(octets), received=NOW + timedelta(minutes=number), rules=[]
            )
    with database.reading() as session:
        assert message_row(session, 1) is not None
        proposals = propose(session, [1, 2], now=NOW)
        others = [proposal.others for proposal in proposals]
        assert others == sorted(others)
        assert {proposal.fact.text for proposal in proposals if not proposal.others} >= {
            "ann@x.example",
            "permit",
        }
        assert [proposal.fact.text for proposal in proposals if proposal.picked] == [
            "ann@x.example"
        ]
        assert others[-1] == 10  # what all mail has in common comes last


def test_what_is_picked_is_what_leaves_others_out_besides(database: Database) -> None:
    kinds = [("ann", "permit")] * 2 + [("ann", "ferry")] * 3 + [("bob", "permit")] * 4
    with database.writing() as session:
        for number, (sender, subject) in enumerate(kinds):
            octets = f"From: {sender}@x.example\nTo: me@x.example\nSubject: {subject}\n\n{number}".encode()
            take_in(
                session, parse_message(octets), received=NOW + timedelta(minutes=number), rules=[]
            )
    with database.reading() as session:
        proposals = propose(session, [1, 2], now=NOW)
    picked = {proposal.fact.text: proposal.others for proposal in proposals if proposal.picked}
    assert picked == {"ann@x.example": 3, "permit": 4}


def test_a_step_of_a_catch_up_that_comes_twice_does_and_counts_nothing_again(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("mnemic.jobs.catch_up.running._BATCH", 2)
    with database.writing() as session:
        for number in range(3):
            octets = f"Subject: permit {number}\n\n".encode()
            take_in(session, parse_message(octets), received=NOW, rules=[])
        files = {"do": "file", "folder": "F"}
        stored = add_rule(session, rule("R", "subject", "permit", files))
        job = start(session, CatchUpPlan((stored.id,)), now=NOW)
        batch = next_messages(session, job.id)
        assert batch is not None
        for _ in range(5):  # two are needed: the third, fourth and fifth come once too often
            step_catch_up(session, job.id)
        done = get_job(session, job.id)
        assert done is not None
        report = CatchUpReport.model_validate_json(done.report)
        assert (done.state, done.done, done.total, report.moved) == ("done", 3, 3, 3)
        assert next_messages(session, job.id) is None
        moves = fetch(session, "SELECT count(*) FROM journal WHERE slot = 'folder_id'")
        assert moves == [(3,)]
