"""Rehearsal: what is counted with the store's help equals sorting every message by the core."""

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlmodel import Session

from mnemic.core import Envelope, Given, Rule, parse_message, read_rule, take
from mnemic.core.actions import LabelAction, PlaceAction
from mnemic.core.evaluation.nearly import missing
from mnemic.core.rules import AllGroup, AnyGroup
from mnemic.demo import DemoMessage
from mnemic.jobs import rehearse, take_in
from mnemic.jobs.people.acts import act
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.post.vcard import card_of
from mnemic.store import Database
from mnemic.store.line.rules import StoredRule
from mnemic.store.mail.listing import message_ids
from mnemic.store.mail.message_views import StoredMessage, stored_messages
from mnemic.store.owner.accounts import Account, change_account
from mnemic.store.owner.contacts import Contact, change_contact
from mnemic.store.owner.preferences import change_preferences, read_preferences
from mnemic.store.search.selection import Selection
from tests.core import strategies

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
ME, TAGGED = "ann@x.example", "ann+boats@x.example"


def _made() -> Iterator[bytes]:
    """Small mail of the property tests' words, so that conditions often hold."""
    senders, words = strategies.ADDRESSES, strategies.WORDS
    for n in range(96):
        name, extra = strategies.NAMES[n % 4], ["", "List-Id: <a.b>\n", "X-Priority: 1\n"][n % 3]
        to = ", ".join(senders[(n * step) % 16] for step in range(1, 2 + n % 3))
        subject = "" if n % 11 == 0 else f"Subject: {words[n % 11]} {words[n % 7]}\n"
        copied = f"Cc: {TAGGED if n % 2 else ME}\n" if n % 5 == 0 else ""
        head = f"From: {name} <{senders[n % 16]}>\nTo: {to}\n{copied}{subject}{extra}X-Tag: {words[n % 5]}\n"
        yield f"{head}Date: Mon, 4 May 2026 0{n % 9}:00:00 +0000\n\n{words[n % 9]} {words[n % 4]}".encode()


@pytest.fixture(scope="module")
def session(
    tmp_path_factory: pytest.TempPathFactory, demo_mail: list[DemoMessage]
) -> Iterator[Session]:
    database = Database(tmp_path_factory.mktemp("rehearsal") / "mnemic.sqlite3")
    with database.writing() as writing:
        change_account(writing, Account(0, "Ann", ME, ("moorings@x.example",)))
        change_contact(
            writing,
            Contact(0, "Bob", ("bob+tag@x.example",), card_of("Bob", ["bob+tag@x.example"])),
        )
        change_preferences(
            writing, read_preferences(writing).model_copy(update={"timezone": "Europe/Lisbon"})
        )
        for letter in demo_mail[::12]:
            message = parse_message(letter.octets, Envelope(None, letter.recipients))
            take_in(writing, message, received=letter.received, seen=letter.seen)
        for n, octets in enumerate(_made()):
            received = NOW - timedelta(hours=n * 7)
            take_in(
                writing,
                parse_message(octets, Envelope("", (ME,)) if n % 9 == 0 else None),
                received=received,
            )
        ids = sorted(message_ids(writing))
        act(writing, Selection(ids=tuple(ids[::7])), PlaceAction(do="archive"), at=0)
        act(writing, Selection(ids=tuple(ids[::5])), LabelAction(do="label", label="Red"), at=0)
        act(writing, Selection(ids=tuple(ids[::31])), PlaceAction(do="erase"), at=0)
    with database.reading() as reading:
        yield reading
    database.close()


_VIEWS: list[StoredMessage] = []


def views(session: Session) -> list[StoredMessage]:
    if not _VIEWS:  # parsed and folded once for all examples
        _VIEWS.extend(stored_messages(session, message_ids(session)))
    return _VIEWS


def tried(session: Session, rule: Rule) -> list[Any]:
    around = MailboxCircumstances(session, NOW)
    return [
        take(rule, message, Given(message.state, around.of(datetime.fromtimestamp(message.row.received_at, UTC), message.id)))
        for message in views(session)
    ]  # fmt: skip


def condition(field: str, test: str, *values: Any, **more: Any) -> dict[str, Any]:
    return {"field": field, "test": test, "values": list(values), **more}


#: What the strategies for the core leave out, since it stands only in a mailbox.
STORED = [
    condition("folder", "is", "Archive"), condition("label", "is", "red"), condition("account", "is", ME),
    condition("contact", "is", "known"), condition("contact", "is", "unknown", "first"), condition("contact", "is", "first"),
    condition("addressed", "is", "only_me"), condition("addressed", "is", "cc_me"), condition("addressed", "is", "to_me", "not_me"), condition("seen", "is", True),
    condition("received", "on", "2026-05-01"), condition("received", "before", "2026-04-20"), condition("received", "after", "9999-12-31"),
    condition("sent", "on", "2026-05-04"), condition("age", "under", "3 days"), condition("size", "over", "1 KB"),
    condition("attachment", "contains", "pdf"), condition("attachment_type", "is", "application/pdf"),
    condition("list", "is", "a.b"), condition("header", "contains", "permit", name="x-tag"), condition("text", "wildcard", "*berth*"),
    condition("text", "wildcard", "*".join("*" + "b" * 999)),
    # What holds for an empty text does not hold where there is none.
    *(condition(field, test, value) for field in ("subject", "list", "attachment", "text") for test, value in (("wildcard", "*"), ("regex", "x*"), ("regex", "^$"))),
    condition("recipient", "is", "tag", part="tag"), condition("to", "under", "x.example", part="domain"), condition("kind", "is", "bounce"),
    condition("cc", "contains", "ann", part="any"), condition("body", "contains", "moorings"), condition("subject", "contains", "b"),
    condition("flagged", "is", True), condition("priority", "is", "high"), condition("size", "under", "1 KB", 300),
    condition("age", "over", "3 weeks", "9000000 days"), {"field": "attachment", "test": "exists"}, {"field": "list", "test": "exists"},
    condition("sent", "before", "2026-05-04"), condition("recipient", "regex", "^ann@", part="address"),
]  # fmt: skip
leaves = strategies.conditions | st.sampled_from(STORED)
tests = st.recursive(
    leaves | st.just({"always": True}),
    lambda inner: st.one_of(
        st.lists(inner, min_size=1, max_size=3).map(lambda tests: {"all": tests}),
        st.lists(inner, min_size=1, max_size=3).map(lambda tests: {"any": tests}),
        inner.map(lambda test: {"not": test}),
    ),
    max_leaves=5,
)
rules = st.fixed_dictionaries(
    {"name": st.just("r"), "when": tests, "then": st.just([{"do": "archive"}]), "stop": st.booleans()},
    optional={"unless": tests, "accounts": st.just([ME]), "active": strategies.active},
)  # fmt: skip


@pytest.mark.parametrize("when", STORED, ids=str)
def test_each_condition_holds_for_the_messages_that_the_core_says(
    session: Session, when: dict[str, Any]
) -> None:
    for test in (when, {"not": when}):
        rule = read_rule({"name": "r", "when": test, "then": [{"do": "archive"}]})
        rehearsal = rehearse(session, rule, now=NOW, limit=1_000)
        taken = {m.id for m, t in zip(views(session), tried(session, rule), strict=True) if t.took}
        assert (rehearsal.takes, {message.message.id for message in rehearsal.first}) == (
            len(taken),
            taken,
        )


@settings(deadline=None, max_examples=80, suppress_health_check=list(HealthCheck))
@given(rules, st.lists(rules, max_size=2))
def test_rehearsal_equals_sorting_every_message(
    session: Session, written: dict[str, Any], above: list[dict[str, Any]]
) -> None:
    rule, line = (
        read_rule(written),
        [StoredRule(n, read_rule(document)) for n, document in enumerate(above)],
    )
    rehearsal = rehearse(session, rule, now=NOW, limit=1_000, above=line)

    def mine(of: Rule) -> list[bool]:
        return [not of.accounts or message.state.account == ME for message in views(session)]

    def taken(of: Rule) -> list[bool]:
        return [t.took and m for t, m in zip(tried(session, of), mine(of), strict=True)]

    wanted = taken(rule)
    assert [message.message.id for message in rehearsal.first] == [
        view.id for view, took in zip(views(session), wanted, strict=True) if took
    ]
    assert (rehearsal.takes, rehearsal.examined, rehearsal.whole) == (
        sum(wanted),
        len(wanted),
        True,
    )
    missed = [
        missing(t) is not None and m for t, m in zip(tried(session, rule), mine(rule), strict=True)
    ]
    assert rehearsal.nearly == sum(missed)
    assert all(message.missing for message in rehearsal.first_nearly)
    if isinstance(rule.when, AllGroup | AnyGroup) and len(rule.when.tests) > 1:
        every = isinstance(rule.when, AllGroup)
        inside = rule.when.tests
        other: Any = AnyGroup(any=inside) if every else AllGroup(all=inside)
        turned = rule.model_copy(update={"when": other})
        assert rehearsal.takes_otherwise == sum(taken(turned))
        kind = "all" if every else "any"
        alone = [
            rule.model_copy(update={"when": test, "unless": None, "active": None})
            for test in inside
        ]
        counts = [rehearsal.counts[f"when.{kind}[{at}]"] for at in range(len(alone))]
        assert counts == [sum(taken(condition)) for condition in alone]
    left, first = wanted, {}
    for stored in line:
        first[stored.id] = sum(map(lambda a, b: a and b, left, taken(stored.rule)))
        left = [a and not b for a, b in zip(left, taken(stored.rule), strict=True)]
    assert {document.rule_id: document.messages for document in rehearsal.earlier} == {
        k: n for k, n in first.items() if n
    }
    archived = [message.state.folder == "Archive" for message in views(session)]
    assert rehearsal.settled == sum(map(lambda a, b: a and b, wanted, archived))


@settings(deadline=None, max_examples=15, suppress_health_check=list(HealthCheck))
@given(rules)
def test_a_glance_counts_the_newest_and_what_it_counts_is_there(
    session: Session, written: dict[str, Any]
) -> None:
    rule = read_rule(written)
    glance = rehearse(session, rule, now=NOW, limit=1_000, seconds=0)
    whole = rehearse(session, rule, now=NOW, limit=1_000)
    assert glance.whole == (glance.examined == whole.examined)
    assert glance.takes <= whole.takes
    assert {message.message.id for message in glance.first} <= {
        message.message.id for message in whole.first
    }
