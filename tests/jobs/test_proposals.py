"""Proposals from the journal of a real mailbox: what counts as an act, and that all counts are true."""

from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlmodel import Session

from mnemic.core import Given, parse_message, read_rule, take
from mnemic.core.fields import BaseCondition
from mnemic.core.proposals import Proposal
from mnemic.core.proposals.message_set import ids_in
from mnemic.core.rules.reading import read_test
from mnemic.jobs import take_in
from mnemic.jobs.insights.learnt_mail import MailboxMail
from mnemic.jobs.insights.proposals import proposals_for_owner, turn_proposal_away
from mnemic.jobs.people.folders_and_labels import delete_folder
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.store import Database
from mnemic.store.engine.sql import execute
from mnemic.store.journal.undo import RunPart, undo_run
from mnemic.store.line.rules import add_rule, list_rules
from mnemic.store.mail.folders import folder_at
from mnemic.store.mail.listing import message_ids
from mnemic.store.mail.message_views import StoredMessage, stored_messages
from mnemic.store.owner.accounts import Account, change_account
from tests.jobs.acting import do
from tests.jobs.catching_up import catch_up

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
DAY = 86_400
AT = int(NOW.timestamp())
FILE = {"do": "file", "folder": "Firm"}

#: Of each of four senders so many messages, in turn.
EACH, SENDERS = 12, 4


def fill(session: Session, many: int = EACH) -> None:
    change_account(session, Account(0, "Me", "me@trust.example", ()))
    for number in range(many * SENDERS):
        sender = number % SENDERS
        head = f"From: p{sender}@firm{sender}.example\nTo: me@trust.example\n"
        octets = f"{head}Subject: {('rota', 'quote', 'gauge', 'order')[sender]} {number}\n\nhi"
        received = NOW + timedelta(minutes=number)
        take_in(session, parse_message(octets.encode()), received=received)


def of_sender(sender: int, many: int = EACH) -> list[int]:
    return [sender + 1 + SENDERS * at for at in range(many)]


@pytest.fixture
def session(database: Database) -> Iterator[Session]:
    with database.writing() as opened:
        fill(opened)
        yield opened


def by_hand(session: Session, what: dict[str, Any] = FILE) -> list[int]:
    """The mail of the first sender, one by one on two days; the runs."""
    return [
        do(session, [key], at=AT + at % 2 * DAY, **what).run_id or 0
        for at, key in enumerate(of_sender(0))
    ]


def counts(session: Session) -> list[tuple[str, int, int, int]]:
    return [
        (
            proposal.rule.then[0].do,
            proposal.counted.did.bit_count(),
            proposal.counted.of.bit_count(),
            proposal.counted.taken.bit_count(),
        )
        for proposal in proposals_for_owner(session, now=NOW + timedelta(days=3))
    ]


def undone(session: Session, again: bool) -> None:
    for run in by_hand(session):
        done = undo_run(session, run, at=AT + DAY)
        if again and done is not None:
            undo_run(session, done.run_id or 0, at=AT + 2 * DAY)


def in_part(session: Session) -> None:
    """Twelve at once, and one of them undone."""
    ids = of_sender(0)
    do(session, ids[:6], at=AT, **FILE)
    run = do(session, ids[6:], at=AT + DAY, **FILE).run_id or 0
    undo_run(session, run, at=AT + DAY, part=RunPart(message_id=ids[6]))


def moved_on(session: Session) -> None:
    by_hand(session)
    do(session, of_sender(0)[5:6], at=AT + 2 * DAY, do="file", folder="Elsewhere")


def put_back(session: Session) -> None:
    by_hand(session)
    do(session, of_sender(0)[5:6], at=AT + 2 * DAY, do="keep")


def by_a_rule(session: Session) -> None:
    when = {"field": "from", "test": "is", "values": ["p0@firm0.example"]}
    add_rule(session, read_rule({"name": "r", "runs": ["hand"], "when": when, "then": [FILE]}))
    catch_up(session, list_rules(session)[0], at=AT)


def a_rule_does_it(session: Session) -> None:
    when = {"field": "subject", "test": "words", "values": ["rota"]}
    add_rule(session, read_rule({"name": "r", "when": when, "then": [FILE]}))
    by_hand(session)


def with_its_folder(session: Session) -> None:
    """What a folder takes with it when it is deleted was not put in the trash message by message."""
    do(session, of_sender(0), at=AT, **FILE)
    delete_folder(session, folder_at(session, "Firm") or 0, at=AT + DAY)
    do(session, of_sender(1)[:1], at=AT + DAY, do="trash")


def gone(session: Session) -> None:
    """What is gone counts nowhere."""
    by_hand(session)
    do(session, of_sender(0)[:1], at=AT + 2 * DAY, do="erase")


@pytest.mark.parametrize(
    ("done", "proposed"),
    [
        (by_hand, [("file", 12, 12, 12)]),
        (lambda session: by_hand(session, {"do": "read"}), [("read", 12, 12, 12)]),
        (lambda session: by_hand(session, {"do": "keep"}), []),
        (lambda session: by_hand(session, {"do": "unread"}), []),
        (lambda session: undone(session, again=False), []),
        (lambda session: undone(session, again=True), [("file", 12, 12, 12)]),
        (in_part, [("file", 11, 12, 12)]),
        (moved_on, [("file", 11, 12, 12)]),
        (put_back, [("file", 11, 12, 12)]),
        (by_a_rule, []),
        (a_rule_does_it, []),
        (with_its_folder, []),
        (gone, [("file", 11, 11, 11)]),
    ],
)
def test_what_counts_as_done_by_hand(
    session: Session, done: Callable[[Session], Any], proposed: list[tuple[str, int, int, int]]
) -> None:
    done(session)
    assert counts(session) == proposed


@pytest.mark.parametrize(("selected", "proposed"), [(100, [("file", 102, 102, 102)]), (101, [])])
def test_a_selection_of_hundreds_counts_as_one_act(
    database: Database, selected: int, proposed: list[tuple[str, int, int, int]]
) -> None:
    with database.writing() as session:
        fill(session, selected + 2)
        ids = of_sender(0, selected + 2)
        do(session, ids[2:], at=AT, **FILE)
        for key in ids[:2]:
            do(session, [key], at=AT + DAY, **FILE)
        assert counts(session) == proposed


def test_what_is_turned_away_stays_away_until_its_evidence_has_doubled(database: Database) -> None:
    with database.writing() as session:
        fill(session, 24)
        ids = of_sender(0, 24)
        for at, key in enumerate(ids[13:]):  # the newest eleven
            do(session, [key], at=AT + at % 2 * DAY, **FILE)
        (proposal,) = proposals_for_owner(session, now=NOW)
        turn_proposal_away(session, proposal)
        for key in ids[3:13]:
            do(session, [key], at=AT + DAY, **FILE)
        assert counts(session) == []  # 21 is not twice 11
        do(session, ids[2:3], at=AT + DAY, **FILE)
        assert counts(session) == [("file", 22, 22, 24)]


ACTS: list[dict[str, Any]] = [FILE, {"do": "label", "label": "A"}, {"do": "flag"}, {"do": "trash"}, {"do": "read"}]  # fmt: skip


@settings(deadline=None, max_examples=30, suppress_health_check=list(HealthCheck))
@given(
    st.lists(
        st.tuples(st.sampled_from(ACTS), st.integers(0, SENDERS - 1), st.integers(0, 5)),
        min_size=1,
        max_size=5,
    ),
    st.sets(st.integers(0, 40), max_size=6),
)
def test_every_count_is_that_of_the_core(
    database: Database, acts: list[tuple[dict[str, Any], int, int]], taken_back: set[int]
) -> None:
    """Of a sender's mail all but the oldest few, message by message; some of it undone."""
    with database.writing() as session:
        fill(session) if not message_ids(session) else None
        runs = []
        for number, (what, sender, left) in enumerate(acts):
            for at, key in enumerate(of_sender(sender)[left:]):
                runs.append(do(session, [key], at=AT + (number + at) % 3 * DAY, **what).run_id)
        for number in taken_back:
            if number < len(runs) and runs[number]:
                undo_run(session, runs[number] or 0, at=AT)
        for proposal in proposals_for_owner(session, now=NOW):
            check(session, proposal)
        session.rollback()


def check(session: Session, proposal: Proposal) -> None:
    around = MailboxCircumstances(session, NOW).of(NOW)
    (action,) = proposal.rule.then
    messages = list(stored_messages(session, iter(sorted(message_ids(session)))))
    taken = {m.id for m in messages if take(proposal.rule, m, Given(m.state, around)).took}
    assert set(ids_in(proposal.counted.taken)) == taken
    done = {m.id for m in messages if _is_done(m, action.do)}
    first = min(m.row.received_at for m in messages if m.id in done)
    assert set(ids_in(proposal.counted.of)) == {
        m.id for m in messages if m.id in taken and m.row.received_at >= first
    }
    assert set(ids_in(proposal.counted.did)) == taken & done


def _is_done(message: StoredMessage, do: str) -> bool:
    """In this mailbox nothing but the owner's own acts changes anything."""
    state = message.state
    done = {
        "file": state.folder == "Firm",
        "trash": state.folder == "Trash",
        "label": "A" in state.labels,
        "flag": bool(state.flagged),
        "read": bool(state.seen),
    }
    return done[do]


FEW_VALUES: list[dict[str, Any]] = [
    {"field": "kind", "test": "is", "values": ["personal"]},
    {"field": "kind", "test": "is", "values": ["discussion", "notification"]},
    {"field": "list", "test": "contains", "values": ["ELLS"]},
    {"field": "list", "test": "exists"},
    {"field": "attachment_type", "test": "is", "values": ["Application/PDF"]},
    {"field": "attachment_type", "test": "begins", "values": ["image/"], "case": True},
]
ATTACHED = "Content-Type: {}\nContent-Disposition: attachment; filename=a\n\nhi"


@pytest.mark.parametrize("older", [False, True])
def test_what_has_few_values_is_asked_as_the_core_would(database: Database, older: bool) -> None:
    mail = [machine(1, "list", "a@x.example"), machine(2, "machine", "b@x.example")]
    mail += [ATTACHED.format(kind).encode() for kind in ("application/pdf", "image/png", "IMAGE/a")]
    with database.writing() as session:
        for octets in mail:
            take_in(session, parse_message(octets), received=NOW)
        if older:  # types that stand nowhere but in the octets
            execute(session, "UPDATE message SET attachment_types = NULL WHERE id = 4")
    with database.reading() as session:
        around = MailboxCircumstances(session, NOW).of(NOW)
        messages = list(stored_messages(session, iter(range(1, len(mail) + 1))))
        for test in map(read_test, FEW_VALUES):
            assert isinstance(test, BaseCondition)
            (held,) = MailboxMail(session, NOW).holding([test])
            wanted = {m.id for m in messages if test.holds(m, Given(m.state, around))}
            assert set(ids_in(held)) == wanted != set()


def machine(number: int, kind: str, sender: str) -> bytes:
    head = {"list": "List-Id: <bells.example>\n", "machine": "Auto-Submitted: auto-generated\n"}
    return f"From: {sender}\nTo: me@trust.example\nSubject: {number}\n{head.get(kind, '')}\nhi".encode()


@pytest.mark.parametrize(
    ("kind", "many", "read", "proposed"),
    [
        ("list", 30, 0, ["Bells"]),
        ("list", 29, 0, []),  # not many in 30 days
        ("list", 30, 6, ["Bells"]),  # 24 of 30 unread after 14 days
        ("list", 30, 7, []),
        ("machine", 30, 0, ["Bells.example"]),  # of several machines of one domain
        ("person", 30, 0, []),  # of several people of one domain
    ],
)
def test_large_groups_that_wait_in_the_inbox_are_proposed_a_folder(
    database: Database, kind: str, many: int, read: int, proposed: list[str]
) -> None:
    with database.writing() as session:
        for number in range(many):
            octets = machine(number, kind, f"p{number % 3}@bells.example")
            take_in(session, parse_message(octets), received=NOW)
        if read:
            do(session, list(range(1, read + 1)), at=AT + DAY, do="read")
        proposals = proposals_for_owner(session, now=NOW + timedelta(days=29))
        said = [
            proposal.rule.then[0].model_dump()["folder"]
            for proposal in proposals
            if proposal.why == "waits"
        ]
        assert said == proposed
        for proposal in proposals:
            counts = (
                proposal.counted.did.bit_count(),
                proposal.counted.of.bit_count(),
                proposal.counted.taken.bit_count(),
            )
            assert counts == (read, many, many)
