"""Arrival, import, rehearsal and catch-up on a real database."""

from datetime import UTC, datetime
from typing import Any

import pytest

from mnemic.core import Rule, parse_message, read_rule
from mnemic.demo import DemoMessage
from mnemic.jobs import import_messages, rehearse, take_in
from mnemic.jobs.rehearsal.rehearse import Earlier
from mnemic.post import FileMessage
from mnemic.store import Database
from mnemic.store.journal.trail import trail_of
from mnemic.store.line.rules import add_rule, delete_rule, list_rules
from mnemic.store.line.taken_mail import taken_since
from mnemic.store.mail.listing import list_messages
from mnemic.store.mail.messages import message_row
from mnemic.store.owner.accounts import Account, change_account
from tests.jobs.catching_up import catch_up

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
MAIL = b"From: Ann <ann@x.example>\nTo: moorings@x.example\nSubject: A permit\n\nberth 41\n"


def rule(**changes: Any) -> Rule:
    return read_rule(
        {
            "name": "Permits",
            "when": {"all": [{"field": "subject", "test": "words", "values": ["permit"]}]},
            "then": [
                {"do": "file", "folder": "Moorings/Permits"},
                {"do": "label", "label": "Permit"},
            ],
            **changes,
        }
    )


def test_arriving_mail_is_filed_and_labelled_with_its_evidence(database: Database) -> None:
    with database.writing() as session:
        stored = add_rule(session, rule())
        arrival = take_in(session, parse_message(MAIL), received=NOW)
    assert arrival.rules == ("Permits",)
    with database.writing() as session:
        (entry,) = trail_of(session, [arrival.message_id])[arrival.message_id]
        (piece,) = entry.evidence
        assert (entry.folder, entry.labels, entry.event) == (
            "Moorings/Permits",
            ("Permit",),
            "arrival",
        )
        assert piece.value[piece.start : piece.end] == "permit"
        assert taken_since(session, 0) == {stored.id: 1}
        delete_rule(session, stored.id)
    with database.reading() as session:  # the trail outlives the rule
        (entry,) = trail_of(session, [arrival.message_id])[arrival.message_id]
        assert (entry.rule_id, entry.rule_name) == (stored.id, "Permits")
        assert list_rules(session) == []


def test_catch_up_moves_what_rehearsal_said_and_a_second_one_changes_nothing(
    database: Database, demo_mail: list[DemoMessage]
) -> None:
    with database.writing() as session:
        for message in demo_mail[::6]:
            take_in(session, parse_message(message.octets), received=message.received)
        stored = add_rule(session, rule(enabled=False))
    with database.reading() as session:
        before = rehearse(session, stored.rule, now=NOW)
    with database.writing() as session:
        first = catch_up(session, stored, at=1)
    with database.writing() as session:
        second = catch_up(session, stored, at=2)
        after = rehearse(session, stored.rule, now=NOW)
    assert before.takes > 5
    assert (first.taken, first.moved, first.unchanged) == (before.takes, before.takes, 0)
    assert (second.moved, second.labelled, second.unchanged) == (0, 0, before.takes)
    assert (before.settled, after.settled) == (0, before.takes)
    with database.reading() as session:
        for taken in before.first:
            assert len(trail_of(session, [taken.message.id])[taken.message.id]) == 1


def test_rehearsal_counts_what_the_core_takes_for_all_for_any_and_alone(
    database: Database, demo_mail: list[DemoMessage]
) -> None:
    mail = demo_mail[::10]
    with database.writing() as session:
        for message in mail:
            take_in(session, parse_message(message.octets), received=message.received)
    tests: list[dict[str, Any]] = [
        {"field": "recipient", "test": "contains", "values": ["moorings@"]},
        {"field": "body", "test": "contains", "values": ["berth number"]},
    ]

    def taken(when: dict[str, Any]) -> int:
        single = rule(when=when)
        with database.reading() as session:
            return rehearse(session, single, now=NOW).takes

    with database.reading() as session:
        rehearsal = rehearse(session, rule(when={"all": tests}), now=NOW, limit=1)
    assert rehearsal.examined == len(mail)
    alone = [rehearsal.counts[f"when.all[{at}]"] for at in range(2)]
    assert 0 < rehearsal.takes < alone[0]
    assert rehearsal.takes == taken({"all": tests})
    assert rehearsal.takes_otherwise == taken({"any": tests})
    assert alone == [taken(test) for test in tests]
    assert len(rehearsal.first) == 1


def test_the_same_octets_are_imported_once_and_unsorted_mail_stays_in_the_inbox(
    database: Database,
) -> None:
    with database.writing() as session:
        add_rule(session, rule())
    files = [FileMessage("a", MAIL, NOW, seen=True), FileMessage("b", MAIL, NOW)]
    report = import_messages(database, files, now=NOW, sort=False)
    assert (report.taken_in, report.doubles) == (1, 1)
    with database.reading() as session:
        (row,) = list_messages(session, folder_id=1).rows
        assert (row.seen, row.received_at) == (True, int(NOW.timestamp()))
        assert message_row(session, row.id or 0) is not None


ACTIONS: list[dict[str, Any]] = [
    {"do": "file", "folder": "New"}, {"do": "archive"}, {"do": "keep"}, {"do": "label", "label": "L"},
    {"do": "unlabel", "label": "L"}, {"do": "read"}, {"do": "flag"}, {"do": "colour", "colour": "moss"},
    {"do": "priority", "level": "low"}, {"do": "copy", "folder": "Copies"},
]  # fmt: skip


@pytest.mark.parametrize("action", ACTIONS, ids=lambda action: str(action["do"]))
def test_rehearsal_knows_what_every_action_has_still_to_change(
    database: Database, action: dict[str, Any]
) -> None:
    with database.writing() as session:
        take_in(session, parse_message(MAIL), received=NOW)
        stored = add_rule(session, rule(then=[action]))
    with database.reading() as session:
        settled = rehearse(session, stored.rule, now=NOW).settled
    with database.writing() as session:
        done = catch_up(session, stored, at=1)
    assert (settled, done.unchanged) == ((1, 1) if action["do"] in ("keep", "unlabel") else (0, 0))
    with database.writing() as session:  # afterwards nothing is left to do, and nothing is done
        assert rehearse(session, stored.rule, now=NOW).settled == 1 + (action["do"] == "copy")
        again = catch_up(session, stored, at=2)
    assert (again.taken, again.unchanged) == (again.unchanged, again.taken)


def test_rehearsal_says_what_is_nearly_taken_who_comes_first_and_what_is_risky(
    database: Database,
) -> None:
    mail = [f"From: a{n}@x.example\nSubject: permit {n}\n\nberth".encode() for n in range(4)]
    account = Account(0, "me", "me@y.example", ())
    with database.writing() as session:
        change_account(session, account)
        for octets in [*mail, b"From: b@x.example\nSubject: other\n\nberth"]:
            take_in(session, parse_message(octets), received=NOW)
        answer = b"From: me@y.example\nTo: a1@x.example\nSubject: Re: permit\n\n"
        take_in(session, parse_message(answer), received=NOW)
        above = add_rule(
            session,
            rule(
                when={"field": "from", "test": "begins", "values": ["a0@"]},
                then=[{"do": "archive"}],
            ),
        )
    both = {
        "all": [
            {"field": "subject", "test": "contains", "values": ["it"]},
            {"field": "body", "test": "contains", "values": ["berth"]},
        ]
    }
    with database.reading() as session:
        rehearsal = rehearse(session, rule(when=both), now=NOW, above=[above])
    assert (rehearsal.takes, rehearsal.nearly) == (4, 2)  # the other mail, and the answer
    assert {message.missing for message in rehearsal.first_nearly} == {
        "all but: the subject contains it",
        "all but: the text contains berth",
    }
    assert rehearsal.earlier == (Earlier(above.id, 1, stops=False),)
    assert rehearsal.risks == (
        "“it” is short: it stands inside many other words",
        "It takes 4 of the 5 messages in the inbox",
        "It takes mail from one person you have written to",
    )
