"""Every condition field and every action, made from the models: what was forgotten fails by name.

The other half of the catalogue's path, the editor's, is ``web/src/rules/catalogue.test.ts``.
"""

import random
from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta
from functools import cache
from pathlib import Path
from typing import Any, cast, get_args

import jsonschema
import pytest
from pydantic import ValidationError
from sqlmodel import Session
from tools.write_catalogue import main as write_catalogue

from mnemic.core import Given, parse_message, read_rule, through_rules
from mnemic.core.actions import ACTION_KINDS
from mnemic.core.actions.action import ActionKind
from mnemic.core.catalogue import catalogue
from mnemic.core.entailment import excludes, follows
from mnemic.core.evidence_words import because_saying, value_in_words
from mnemic.core.fields import FIELDS, BaseCondition, Field
from mnemic.core.fields.choice import NamedCondition
from mnemic.core.fields.field import Aspect
from mnemic.core.fields.text_condition import TextTestCondition
from mnemic.core.message import Envelope
from mnemic.core.order_check import check_line
from mnemic.core.rule_reading import read_test
from mnemic.core.rule_schema import rule_schema
from mnemic.core.rules import Rule
from mnemic.core.search import PREFIXES, understand
from mnemic.core.sentence import sentence_of
from mnemic.core.text_tests import TEXT_TESTS
from mnemic.core.wording import text_of
from mnemic.jobs import take_in
from mnemic.jobs.catch_up.already_done import AlreadyDone
from mnemic.jobs.people.acts import NotAnActError, act
from mnemic.jobs.people.reasons import deeds_of
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.post.vcard import card_of
from mnemic.store import Database, conditions_sql
from mnemic.store.conditions_sql import Asking, NotSearchableError, answer_to
from mnemic.store.journal.trail import trail_of
from mnemic.store.journal.undo import undo_run
from mnemic.store.line.rules import add_rule
from mnemic.store.mail.listing import message_ids
from mnemic.store.mail.message_views import StoredMessage, stored_messages
from mnemic.store.owner.accounts import Account, change_account
from mnemic.store.owner.contacts import Contact, change_contact
from mnemic.store.search.finding import find_messages
from mnemic.store.search.masks import IdRange, Masks
from mnemic.store.search.selection import Selection
from tests.jobs.catching_up import catch_up

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
ME = "ann@x.example"
CATALOGUE = Path(__file__).parents[1] / "web" / "src" / "rules" / "catalogue.ts"

FLAGS = [{"do": "archive"}, {"do": "flag"}, {"do": "read"}, {"do": "label", "label": "Red"}]


def _mail() -> Iterator[tuple[bytes, dict[str, Any]]]:
    """Small mail in which each field differs, and is missing now and then: Date, Subject, a name."""
    kinds = [
        "",
        "List-Id: Talk <talk.x.example>\nX-Priority: 1\n",
        "Auto-Submitted: auto-generated\n",
    ]
    for n in range(36):
        date_field = "" if n % 5 == 0 else f"Date: Mon, {1 + n % 9} May 2026 10:00:00 +0000\n"
        subject = "" if n % 7 == 0 else f"Subject: Permit {n % 4} für die Straße\n"
        sender = ["Ann <ann@x.example>", "bob+tag@mail.x.example", "Jürg <j@bücher.example>"][n % 3]
        extra = (
            f"Sender: office@x.example\nReply-To: help@x.example\nX-Tag: blue {n % 3}\n"
            if n % 2
            else ""
        )
        to = ["ann@x.example", "moorings+new@x.example, ann@x.example", "all@list.example"][n % 3]
        copied = f"Cc: {ME}\nBcc: quiet@x.example\n" if n % 4 == 1 else ""
        head = f"From: {sender}\nTo: {to}\n{copied}{subject}{date_field}{extra}{kinds[n % 3]}"
        text = f"Hello {n % 6}, the berth."
        if n % 4 == 0:
            attached = 'Content-Type: application/pdf\nContent-Disposition: attachment; filename="plan.pdf"\n\nx'
            head += 'MIME-Version: 1.0\nContent-Type: multipart/mixed; boundary="b"\n'
            text = f"--b\n\n{text}\n--b\n{attached}\n--b--"
        yield (
            f"{head}\n{text}\n".encode(),
            {"received": NOW - timedelta(hours=n * 11), "seen": n % 3 == 1},
        )


@pytest.fixture(scope="module")
def session(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Session]:
    database = Database(tmp_path_factory.mktemp("catalogue") / "mnemic.sqlite3")
    with database.writing() as writing:
        change_account(writing, Account(0, "Ann", ME, ("moorings@x.example",)))
        card = card_of("Bob", ["bob+tag@mail.x.example"])
        change_contact(writing, Contact(0, "Bob", ("bob+tag@mail.x.example",), card))
        for octets, state in _mail():
            take_in(writing, parse_message(octets, Envelope("", (ME,))), rules=[], **state)
        for step, done in enumerate(FLAGS):
            ids = tuple(sorted(message_ids(writing))[step :: 4 + step])
            act(writing, Selection(ids=ids), read_rule(rule_with(done)).then[0], at=0)
    with database.reading() as reading:
        yield reading
    database.close()


def rule_with(*then: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"name": "Rule", "when": {"always": True}, "then": list(then), **more}


_SEEN: list[tuple[StoredMessage, Given]] = []


def mail_of(session: Session) -> list[tuple[StoredMessage, Given]]:
    """Every message with what conditions may look at beside it, read once."""
    if not _SEEN:
        around = MailboxCircumstances(session, NOW)
        for message in stored_messages(session, message_ids(session)):
            received = datetime.fromtimestamp(message.row.received_at, UTC)
            _SEEN.append((message, Given(message.state, around.of(received, message.id))))
    return _SEEN


def takes(session: Session, condition: BaseCondition) -> set[int]:
    return {message.id for message, given in mail_of(session) if condition.holds(message, given)}


#: Values that some of the mail has, by the kind of value.
VALUES: dict[str, list[list[Any]]] = {
    "size": [[parse_message(next(_mail())[0]).size], ["1 KB"]],  # just that of a message
    "age": [["66 hours"], ["2 weeks", "1 hour"]],  # just that of a message
    "day": [["2026-05-01"], ["2026-04-25", "2026-05-03"]],
}
NAMES = [["Inbox"], ["Red", "Archive"], [ME]]


def examples(field: Field) -> list[BaseCondition]:
    """Conditions on the field: each aspect with each test that it offers, on several values."""
    found = (read_test(value) for aspect in field.aspects for value in _of(field, aspect))
    return list(dict.fromkeys(each for each in found if isinstance(each, BaseCondition)))


def _of(field: Field, aspect: Aspect) -> Iterator[dict[str, Any]]:
    given: dict[str, Any] = {"field": field.name}
    given |= {} if aspect.part is None else {"part": aspect.part}
    given |= {"name": "X-Tag"} if field.name == "header" else {}
    values: list[list[Any]] = [[value] for value, _ in aspect.choices]
    values = values or VALUES.get(aspect.values) or _texts(field, given, aspect)
    for test, _ in aspect.tests:
        if test == "exists":
            yield {**given, "test": test}
            continue
        for chosen in values:
            if test == "wildcard":
                chosen = [f"*{value[-4:]}" for value in chosen]
            yield {**given, "test": test, "values": chosen}
            if field.has_case and len(chosen) == 1:
                yield {**given, "test": test, "values": chosen, "case": True}


def _texts(field: Field, given: dict[str, Any], aspect: Aspect) -> list[list[str]]:
    """Whole texts that the mail has there, and their beginnings and ends."""
    if field.condition.of_state:
        return NAMES
    whole = {
        "test": "contains" if aspect.tests[0][0] == "exists" else aspect.tests[0][0],
        "values": ["x"],
    }
    condition = read_test({**given, **whole})
    assert isinstance(condition, BaseCondition)
    mail = (parse_message(octets, Envelope("", (ME,))) for octets, _ in _mail())
    found = sorted(
        {text for message in mail for text in cast(tuple[str, ...], condition.reads(message))}
    )[::3][:3]
    pieces = [piece for text in found for piece in (text, text.split()[0], text[-5:])]
    several = [found] if len(found) > 1 else []
    return [[piece] for piece in dict.fromkeys(pieces or ["none"])] + several


cached_examples = cache(lambda name: tuple(examples(FIELDS[name])))
every_field = pytest.mark.parametrize("name", FIELDS)


@every_field
def test_the_editor_offers_just_what_the_model_and_the_schema_take(name: str) -> None:
    field, schema = FIELDS[name], jsonschema.Draft202012Validator(rule_schema())
    offered = {test for aspect in field.aspects for test, _ in aspect.tests}
    assert offered == set(get_args(field.condition.model_fields["test"].annotation))
    choices = {value for aspect in field.aspects for value, _ in aspect.choices}
    if choices:
        values = get_args(field.condition.model_fields["values"].annotation)[0]
        modelled = {value for each in (values, *get_args(values)) for value in get_args(each)}
        assert choices == {value for value in modelled if isinstance(value, str | bool)}
    for condition in cached_examples(name):
        rule = rule_with({"do": "flag"}, when=condition.model_dump(mode="json", exclude_none=True))
        assert schema.is_valid({"format": "mnemic-rules", "version": 1, "rules": [rule]})
        assert (
            ("case" in type(condition).model_fields)
            is field.has_case
            is catalogue()["fields"][name]["hasCase"]
        )


@every_field
def test_each_condition_has_a_sentence_of_its_own_and_another_turned_round(name: str) -> None:
    said = [text_of(each.phrases()) for each in cached_examples(name)]
    turned = [text_of(each.phrases(turned=True)) for each in cached_examples(name)]
    assert len(set(said)) == len(set(turned)) == len(said)
    assert all(one != other for one, other in zip(said, turned, strict=True))


@every_field
def test_what_it_reads_decides_as_the_whole_message_does(session: Session, name: str) -> None:
    held = 0
    for condition in cached_examples(name):
        for message, given in mail_of(session):
            read = condition.reads(message)
            hash(read)
            found = condition.evidence(message, given)
            assert (
                condition.holds_of(read, given)
                is condition.holds(message, given)
                is (found is not None)
            )
            held += found is not None
            if found is not None:
                start, end = found.span
                assert 0 <= start <= end <= len(found.value)
                assert value_in_words(found.field, found.value)
                because = because_saying(found.field, found.value, start, end)
                quoted = isinstance(condition, TextTestCondition)
                assert quoted or "“" not in because, "no words for its evidence"
    assert held, "no example holds for any mail: the test would show nothing"


@every_field
def test_the_rehearsal_counts_what_the_core_takes(session: Session, name: str) -> None:
    masks = Masks(session, MailboxCircumstances(session, NOW).of(NOW))
    for condition in cached_examples(name):
        mask = masks.of(condition, IdRange(0, masks.top))
        assert {int(at) + 1 for at in mask.nonzero()[0]} == takes(session, condition), condition


@pytest.mark.parametrize("name", [each for each in FIELDS if not FIELDS[each].condition.of_state])
def test_the_rehearsal_of_a_field_without_an_answer_parses_the_mail(
    session: Session, name: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(conditions_sql, "_ANSWERS", {})
    masks = Masks(session, MailboxCircumstances(session, NOW).of(NOW))
    masks._cache = type(masks._cache)(masks._cache.state)  # nothing is known from the other tests
    for condition in cached_examples(name)[::5]:
        if condition.values == ("first",):  # depends on when each message came in: only SQL knows
            continue
        mask = masks.of(condition, IdRange(0, masks.top))
        assert {int(at) + 1 for at in mask.nonzero()[0]} == takes(session, condition), condition


@every_field
def test_sql_has_an_answer_and_find_what_it_tells_exactly(session: Session, name: str) -> None:
    assert FIELDS[name].condition in conditions_sql._ANSWERS
    asking = Asking(session, UTC, MailboxCircumstances(session, NOW).of(NOW))
    for condition in cached_examples(name):
        answer = answer_to(condition, asking)
        if condition.of_state:
            assert answer.exact, "what stands in the message's state can't be parsed"
        try:
            found = {row.id for row in find_messages(session, condition, UTC, limit=1_000).rows}
        except NotSearchableError:
            assert not answer.exact or name in ("age", "addressed", "contact")
            continue
        assert answer.exact
        assert found == takes(session, condition), condition


@pytest.mark.parametrize("prefix", PREFIXES)
def test_each_prefix_of_find_asks_for_what_sql_finds(session: Session, prefix: str) -> None:
    choices = list(PREFIXES[prefix].choices) or ["2026-05-01", "ann"]
    for value in choices:
        search = understand(f"{prefix}:{value}", date(2026, 5, 4))
        if search.test is not None:
            assert isinstance(search.test, BaseCondition)
            found = {row.id for row in find_messages(session, search.test, UTC, limit=1_000).rows}
            assert found == takes(session, search.test)
            break
    else:
        pytest.fail("no value is understood")


def _of_several(conditions: list[BaseCondition]) -> set[str]:
    """Fields whose values don't exclude each other: a message may bear many labels."""
    return {
        each.field for each in conditions if isinstance(each, NamedCondition) and not each.one_only
    }


#: Of each field so many conditions are held against all others.
PER_FIELD = 48


def test_what_follows_and_what_is_excluded_is_so_for_all_mail(session: Session) -> None:
    chance, singles = random.Random(5322), []  # noqa: S311 -- a sample, always the same
    for name in FIELDS:
        known = [each for condition in cached_examples(name) for each in condition.singles()]
        known = list(dict.fromkeys(known))
        singles += chance.sample(known, min(len(known), PER_FIELD))
    taken = {each: takes(session, each) for each in singles}
    told = dict.fromkeys(FIELDS, 0)
    for one in singles:
        assert follows(one, one)
        assert not (taken[one] and excludes(one, one)), one
        opposite = one.opposite()
        if opposite is not None:
            assert takes(session, opposite) == {m.id for m, _ in mail_of(session)} - taken[one]
        for other in singles:
            if follows(one, other):
                assert taken[one] <= taken[other], (one, other)
                told[one.field] += one != other
            if excludes(one, other):
                assert not taken[one] & taken[other], (one, other)
                told[one.field] += 1
    silent = {field for field, claims in told.items() if not claims}
    # Of either text only the two fields it stands for are asked.
    assert silent <= {"text"} | _of_several(singles), "logic knows nothing of these"


@every_field
def test_the_singles_of_a_condition_take_together_what_it_takes(
    session: Session, name: str
) -> None:
    for condition in cached_examples(name):
        together = set().union(*(takes(session, each) for each in condition.singles()))
        assert together == takes(session, condition)


# Actions


def filled(kind: ActionKind) -> dict[str, Any]:
    """The action as it is added, with what it needs: new places, so that it changes something."""
    made = kind.as_added
    for key in kind.needs:
        made[key] = ["c@y.example"] if isinstance(made[key], list) else "New place"
    return made


def rule_of(name: str, **more: Any) -> Rule:
    return read_rule(rule_with(filled(ACTION_KINDS[name]), **more))


every_action = pytest.mark.parametrize("name", ACTION_KINDS)
_STATE = "SELECT id, folder_id, seen, flagged, colour, priority FROM message WHERE folder_id <> :erased ORDER BY id"


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
        (each.id, each.state, each.row.colour, each.row.priority)
        for each in stored_messages(session, message_ids(session))
    ]  # fmt: skip


@pytest.fixture
def mailbox(database: Database) -> Database:
    with database.writing() as writing:
        change_account(writing, Account(0, "Ann", ME, ()))
        for octets, state in list(_mail())[1:9]:
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
        came = [each for each in before if each[0] == arrived.message_id]
        # What a person does was done as it arrived; what is erased is seen no more.
        assert came == [each for each in state_of(writing) if each[0] == arrived.message_id]
        undone = undo_run(writing, done.run_id, at=6)
        assert undone is not None
        assert (undone.left_alone, state_of(writing)) == (0, before)


def test_the_docs_have_every_test() -> None:
    assert set(catalogue()["testLabels"]["text"]) == {*TEXT_TESTS, "under", "exists"}


def test_the_editors_catalogue_is_that_of_the_models(tmp_path: Path) -> None:
    write_catalogue(tmp_path / "catalogue.ts")
    made = (tmp_path / "catalogue.ts").read_text("utf-8")
    assert made == CATALOGUE.read_text("utf-8"), "it is stale: run make api"
