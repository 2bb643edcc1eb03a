"""Every action, made from the models: what was forgotten fails by name."""

from typing import Any, get_args

import pytest
from pydantic import ValidationError
from sqlmodel import Session

from mnemic.core import parse_message, read_rule, through_rules
from mnemic.core.actions import ACTION_KINDS
from mnemic.core.actions.action import ActionKind
from mnemic.core.analysis.order_check import check_line
from mnemic.core.catalogue import catalogue
from mnemic.core.rules import Rule
from mnemic.core.rules.sentence import sentence_of
from mnemic.jobs import take_in
from mnemic.jobs.catch_up.already_done import AlreadyDone
from mnemic.jobs.people.acts import NotAnActError, act
from mnemic.jobs.people.reasons import deeds_of
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.store import Database
from mnemic.store.journal.trail import trail_of
from mnemic.store.journal.undo import undo_run
from mnemic.store.line.rules import add_rule
from mnemic.store.mail.listing import message_ids
from mnemic.store.mail.message_views import stored_messages
from mnemic.store.owner.accounts import Account, change_account
from mnemic.store.search.masks import IdRange, Masks
from mnemic.store.search.selection import Selection
from tests.catalogue_mail import ME, NOW, rule_with, small_mail
from tests.jobs.catching_up import catch_up


def filled(kind: ActionKind) -> dict[str, Any]:
    """The action as it is added, with what it needs: new places, so that it changes something."""
    made = kind.as_added
    for key in kind.needs:
        made[key] = ["c@y.example"] if isinstance(made[key], list) else "New place"
    return made


def rule_of(name: str, **more: Any) -> Rule:
    return read_rule(rule_with(filled(ACTION_KINDS[name]), **more))


every_action = pytest.mark.parametrize("name", ACTION_KINDS)


@every_action
def test_an_action_is_offered_as_its_model_takes_it(name: str) -> None:
    kind = ACTION_KINDS[name]
    assert name in get_args(kind.model.model_fields["do"].annotation)
    action = rule_of(name).then[0]
    assert (action.do, action.slot) == (name, kind.slot)
    picks = catalogue()["actions"][name]["picks"]
    for value in picks["values"] if picks else []:
        read_rule(rule_with({**filled(kind), picks["key"]: value}))
    for _ in kind.needs:  # what needs filling in is refused while it is empty
        with pytest.raises(ValidationError):
            kind.model.model_validate(kind.as_added)


def test_each_action_has_words_of_its_own() -> None:
    actions = {name: rule_of(name).then[0] for name in ACTION_KINDS}
    for said in (
        [action.saying for action in actions.values()],
        [sentence_of(rule_of(name)) for name in ACTION_KINDS],
        [action.deed() for action in actions.values()],
        [kind.short for kind in ACTION_KINDS.values()],
    ):
        assert all(said)
        assert len(set(said)) == len(ACTION_KINDS)
    assert all(action.deed_by_hand() for action in actions.values())


@every_action
def test_it_decides_once_and_what_outdoes_it_is_found_by_the_order_check(name: str) -> None:
    message = parse_message(b"From: bob@y.example\nTo: ann@x.example\nSubject: x\n\nHello")
    rule = rule_of(name)
    untouched, decided = (
        through_rules([], message, "daily"),
        through_rules([rule], message, "arrival"),
    )
    said = {*decided._replace(trail=(), taken_by=(), rules=()), "inbox"}
    assert (
        name == "keep"
        or said > {*untouched._replace(trail=()), "inbox"}
        or said != {*untouched._replace(trail=())}
    )
    twice = through_rules([rule, rule.model_copy(update={"name": "Again"})], message)
    assert twice._replace(trail=(), taken_by=(), rules=()) == decided._replace(
        trail=(), taken_by=(), rules=()
    )
    action = rule.then[0]
    assert action.outdone_by(action)
    others = [
        rule_of(other).then[0]
        for other in ACTION_KINDS
        if ACTION_KINDS[other].slot is None and other != name
    ]
    assert not any(
        action.outdone_by(other)
        for other in others
        if other.claim != action.claim or other.claim is None
    )
    later = rule_of(name, when={"field": "subject", "test": "contains", "values": ["permit"]})
    (finding,) = check_line([rule, later])
    assert (finding.kind, finding.position) == ("never_acts", 1)


def state_of(session: Session) -> Any:
    """What is to be seen of every message, labels and copies among it."""
    return [
        (message.id, message.state, message.row.colour, message.row.priority)
        for message in stored_messages(session, message_ids(session))
    ]  # fmt: skip


@pytest.fixture
def mailbox(database: Database) -> Database:
    with database.writing() as writing:
        change_account(writing, Account(0, "Ann", ME, ()))
        for octets, state in list(small_mail())[1:9]:
            take_in(writing, parse_message(octets), rules=[], **state)
        prepared = [{"do": "label", "label": "New place"}, {"do": "flag"}, {"do": "read"}]
        for done in prepared:  # so that there is something to take off, or to be marked as unread
            ids = tuple(sorted(message_ids(writing))[::2])
            act(writing, Selection(ids=ids), read_rule(rule_with(done)).then[0], at=0)
        sent_away = read_rule(rule_with({"do": "archive"})).then[0]
        act(writing, Selection(ids=tuple(sorted(message_ids(writing))[:3])), sent_away, at=0)
    return database


@every_action
def test_a_catch_up_carries_it_out_is_settled_then_and_is_undone(
    mailbox: Database, name: str
) -> None:
    with mailbox.writing() as writing:
        rule = rule_of(name)
        stored = add_rule(writing, rule)
        changes = rule.then[0].effect("hand") is not None
        before = state_of(writing)
        done = catch_up(writing, stored, at=2)
        after = state_of(writing)
        assert (after != before) is changes
        assert (done.taken > done.unchanged) is changes
    with mailbox.reading() as reading:
        masks = Masks(reading, MailboxCircumstances(reading, NOW).of(NOW))
        everything = IdRange(0, masks.top)
        settled = AlreadyDone(reading, rule, masks)
        assert (settled.of(everything) == masks.there(everything)).all(), (
            "Nothing to catch up, and yet"
        )
        assert not settled.changed(everything, {}).any()
    with mailbox.writing() as writing:
        again = catch_up(writing, stored, at=3)
        assert (again.taken, state_of(writing)) == (again.unchanged, after)
        if changes:
            undone = undo_run(writing, _last_run(writing), at=4)
            assert undone is not None
            assert (undone.left_alone, state_of(writing)) == (0, before)


def _last_run(session: Session) -> int:
    from mnemic.store.engine.sql import fetch

    ((run_id,),) = fetch(session, "SELECT max(run_id) FROM journal")
    return int(run_id)


@every_action
def test_mail_that_arrives_bears_it_in_its_trail_and_people_can_do_it(
    mailbox: Database, name: str
) -> None:
    with mailbox.writing() as writing:
        rule = rule_of(name)
        add_rule(writing, rule)
        octets = b"From: bob@y.example\nTo: ann@x.example\nSubject: x\n\nHello"
        arrived = take_in(writing, parse_message(octets), received=NOW)
        assert arrived.rules == ("Rule",)
        (entry,) = trail_of(writing, [arrived.message_id])[arrived.message_id]
        action = rule.then[0]
        assert deeds_of(entry) == [action.deed()]
        before, ids = state_of(writing), tuple(message_ids(writing))
        if action.effect("arrival") is None:
            assert action.goes_out
            with pytest.raises(NotAnActError):
                act(writing, Selection(ids=ids), action, at=5)
            return
        done = act(writing, Selection(ids=ids), action, at=5)
        assert done.run_id is not None
        assert done.saying.endswith(action.deed_by_hand())
        assert state_of(writing) != before
        came = [state for state in before if state[0] == arrived.message_id]
        # What a person does was done as it arrived; what is erased is seen no more.
        assert came == [state for state in state_of(writing) if state[0] == arrived.message_id]
        undone = undo_run(writing, done.run_id, at=6)
        assert undone is not None
        assert (undone.left_alone, state_of(writing)) == (0, before)
