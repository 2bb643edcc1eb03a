"""A rule holds for mail as it arrives exactly where *why* says that it would if it came in now."""

from datetime import UTC, datetime, timedelta
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlmodel import Session

from mnemic.core import parse_message, read_rule
from mnemic.core.fields import CONDITION_KINDS
from mnemic.jobs import take_in
from mnemic.jobs.people.what_if import what_if
from mnemic.jobs.rehearsal.rehearse import rehearse
from mnemic.post.vcard import card_of
from mnemic.store import Database
from mnemic.store.line.rules import add_rule
from mnemic.store.owner.accounts import Account, change_account
from mnemic.store.owner.contacts import Contact, change_contact
from mnemic.store.owner.preferences import change_preferences, read_preferences
from tests.core import strategies

#: Late in the evening: in the owner's time zone the next day has begun.
NOW = datetime(2026, 5, 4, 23, 30, 0, 700_000, tzinfo=UTC)

#: For each field a condition that this mail meets, and one that it misses or meets at its edge.
CONDITIONS: dict[str, list[dict[str, Any]]] = {
    **{
        field: [{"test": "contains", "values": ["x.example"]}, {"test": "is", "values": ["a@b.example"]}]
        for field in ("from", "sender", "reply_to", "to", "cc", "bcc", "recipient")
    },
    **{
        field: [{"test": "words", "values": ["permit", "new"]}, {"test": "is", "values": ["a"]}]
        for field in ("subject", "body", "text", "attachment", "attachment_type")
    },
    "header": [{"name": "X-Tag", "test": "words", "values": ["new"]}, {"name": "X-Tag", "test": "exists"}],
    "list": [{"test": "exists"}, {"test": "is", "values": ["a.b"]}],
    "size": [{"test": "over", "values": [100]}, {"test": "under", "values": [150]}],
    "received": [
        {"test": "on", "values": ["2026-05-05"]}, {"test": "after", "values": ["2026-05-04"]},
        {"test": "before", "values": ["2026-05-05"]},
    ],
    "sent": [{"test": "on", "values": ["2026-05-04"]}, {"test": "before", "values": ["2026-05-04"]}],
    "age": [{"test": "under", "values": ["1 minute"]}, {"test": "over", "values": ["1 hour"]}],
    "priority": [{"test": "is", "values": ["high"]}, {"test": "is", "values": ["normal"]}],
    "kind": [{"test": "is", "values": ["newsletter", "notification"]}, {"test": "is", "values": ["personal"]}],
    "addressed": [{"test": "is", "values": ["only_me"]}, {"test": "is", "values": ["cc_me", "not_me"]}],
    "contact": [{"test": "is", "values": ["first"]}, {"test": "is", "values": ["known"]}],
    "seen": [{"test": "is", "values": [True]}, {"test": "is", "values": [False]}],
    "flagged": [{"test": "is", "values": [True]}, {"test": "is", "values": [False]}],
    "account": [{"test": "is", "values": ["ann@x.example"]}],
    "folder": [{"test": "is", "values": ["Inbox"]}, {"test": "is", "values": ["Sent"]}],
    "label": [{"test": "is", "values": ["Red"]}],
}  # fmt: skip

#: What is done to the mail that a rule takes: all that conditions look at is changed by it.
THEN = [
    [{"do": "file", "folder": "A"}, {"do": "label", "label": "Red"}],
    [{"do": "flag"}, {"do": "read"}],
]


def test_every_field_is_tried() -> None:
    assert set(CONDITIONS) == set(CONDITION_KINDS)


def _rules() -> list[tuple[str, dict[str, Any]]]:
    return [
        (f"{field} {number}", {"field": field, **test})
        for field, tests in CONDITIONS.items()
        for number, test in enumerate(tests)
    ]


@pytest.fixture
def mailbox(database: Database) -> Database:
    with database.writing() as session:
        change_account(session, Account(0, "Ann", "ann@x.example", ("moorings@x.example",)))
        known = "Bob+tag@x.example"
        change_contact(session, Contact(0, "Bob", (known,), card_of("Bob", [known])))
        preferences = read_preferences(session)
        change_preferences(session, preferences.model_copy(update={"timezone": "Europe/Lisbon"}))
        for number, (name, when) in enumerate(_rules()):
            runs = ["arrival", "sent"]
            add_rule(
                session,
                read_rule({"name": name, "when": when, "then": THEN[number % 2], "runs": runs}),
            )
    return database  # fmt: skip


@settings(deadline=None, max_examples=25, suppress_health_check=list(HealthCheck))
@given(
    st.lists(
        st.tuples(strategies.mail, st.sampled_from([0, 0.2, 3, 7_200]), st.booleans(), st.booleans()),
        min_size=1,
        max_size=4,
    )
)  # fmt: skip
def test_arrival_equals_if_it_came_in_now(
    mailbox: Database, arriving: list[tuple[bytes, float, bool, bool]]
) -> None:
    with mailbox.writing() as session:
        now, came = NOW, []
        for octets, later, seen, dated in arriving:
            now += timedelta(seconds=later)
            dates = b"Received: by x; Mon, 1 Jan 2024 09:00:00 +0000\nDate: Mon, 4 May 2026 22:00 +0000\n"
            message = parse_message(dates * dated + octets)
            came.append((now, take_in(session, message, received=now, seen=seen)))
        for moment, arrival in came:
            answer = what_if(session, arrival.message_id, now=moment)
            assert answer is not None
            assert answer[2].rules == arrival.rules
        _assert_rehearsed(
            session, [(moment, arrived.message_id, arrived.rules) for moment, arrived in came]
        )
        session.rollback()


def _assert_rehearsed(session: Session, came: list[tuple[datetime, int, tuple[str, ...]]]) -> None:
    """The rehearsal takes what arrival took, but for what has changed about the mail since."""
    last = came[-1][0]
    for name, when in _rules():
        if when["field"] in ("seen", "flagged", "folder", "label", "age"):
            continue
        rehearsed = rehearse(
            session, read_rule({"name": name, "when": when, "then": THEN[0]}), now=last
        )
        taken = {message.message.id for message in rehearsed.first}
        assert taken == {key for _, key, names in came if name in names}, name


def test_mail_of_one_second_is_first_once(mailbox: Database) -> None:
    octets = b"From: new@y.example\nTo: ann@x.example\nSubject: hello\n\n"
    with mailbox.writing() as session:
        came = [take_in(session, parse_message(octets), received=NOW) for _ in range(3)]
        first = ["contact 0" in arrival.rules for arrival in came]
        assert first == [True, False, False]
        assert [one.message_id < other.message_id for one, other in pairwise(came)] == [True, True]
        _assert_rehearsed(session, [(NOW, arrival.message_id, arrival.rules) for arrival in came])
