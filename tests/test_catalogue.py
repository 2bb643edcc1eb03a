"""Every condition field, made from the models: what was forgotten fails by name.

``test_action_catalogue`` does it for actions; the other half of the catalogue’s path, the editor’s,
is ``web/src/rules/catalogue.test.ts``.
"""

import random
from collections.abc import Iterator
from datetime import UTC, date, datetime
from functools import cache
from pathlib import Path
from typing import Any, cast, get_args

import jsonschema
import pytest
from sqlmodel import Session
from tools.write_catalogue import main as write_catalogue

from mnemic.core import Given, parse_message, read_rule
from mnemic.core.analysis.entailment import excludes, follows
from mnemic.core.catalogue import catalogue
from mnemic.core.evidence_words import because_saying, value_in_words
from mnemic.core.fields import FIELDS, BaseCondition, Field
from mnemic.core.fields.choice import NamedCondition
from mnemic.core.fields.field import Aspect
from mnemic.core.fields.text_condition import TextTestCondition
from mnemic.core.message import Envelope
from mnemic.core.rules.reading import read_test
from mnemic.core.rules.schema import rule_schema
from mnemic.core.search import PREFIXES, understand
from mnemic.core.text.text_tests import TEXT_TESTS
from mnemic.core.wording import text_of
from mnemic.jobs import take_in
from mnemic.jobs.people.acts import act
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.post.vcard import card_of
from mnemic.store import Database, conditions_sql
from mnemic.store.conditions_sql import Asking, NotSearchableError, answer_to
from mnemic.store.mail.listing import message_ids
from mnemic.store.mail.message_views import StoredMessage, stored_messages
from mnemic.store.owner.accounts import Account, change_account
from mnemic.store.owner.contacts import Contact, change_contact
from mnemic.store.search.finding import find_messages
from mnemic.store.search.masks import IdRange, Masks
from mnemic.store.search.selection import Selection
from tests.catalogue_mail import ME, NOW, rule_with, small_mail

CATALOGUE = Path(__file__).parents[1] / "web" / "src" / "rules" / "catalogue.ts"

FLAGS = [{"do": "archive"}, {"do": "flag"}, {"do": "read"}, {"do": "label", "label": "Red"}]


@pytest.fixture(scope="module")
def session(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Session]:
    database = Database(tmp_path_factory.mktemp("catalogue") / "mnemic.sqlite3")
    with database.writing() as writing:
        change_account(writing, Account(0, "Ann", ME, ("moorings@x.example",)))
        card = card_of("Bob", ["bob+tag@mail.x.example"])
        change_contact(writing, Contact(0, "Bob", ("bob+tag@mail.x.example",), card))
        for octets, state in small_mail():
            take_in(writing, parse_message(octets, Envelope("", (ME,))), rules=[], **state)
        for step, done in enumerate(FLAGS):
            ids = tuple(sorted(message_ids(writing))[step :: 4 + step])
            act(writing, Selection(ids=ids), read_rule(rule_with(done)).then[0], at=0)
    with database.reading() as reading:
        yield reading
    database.close()


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
    "size": [[parse_message(next(small_mail())[0]).size], ["1 KB"]],  # just that of a message
    "age": [["66 hours"], ["2 weeks", "1 hour"]],  # just that of a message
    "day": [["2026-05-01"], ["2026-04-25", "2026-05-03"]],
}
NAMES = [["Inbox"], ["Red", "Archive"], [ME]]


def examples(field: Field) -> list[BaseCondition]:
    """Conditions on the field: each aspect with each test that it offers, on several values."""
    tests = (read_test(value) for aspect in field.aspects for value in _of(field, aspect))
    return list(dict.fromkeys(test for test in tests if isinstance(test, BaseCondition)))


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
    mail = (parse_message(octets, Envelope("", (ME,))) for octets, _ in small_mail())
    texts = sorted(
        {text for message in mail for text in cast(tuple[str, ...], condition.reads(message))}
    )[::3][:3]
    pieces = [piece for text in texts for piece in (text, text.split()[0], text[-5:])]
    several = [texts] if len(texts) > 1 else []
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
        modelled = {value for arg in (values, *get_args(values)) for value in get_args(arg)}
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
    said = [text_of(condition.phrases()) for condition in cached_examples(name)]
    turned = [text_of(condition.phrases(turned=True)) for condition in cached_examples(name)]
    assert len(set(said)) == len(set(turned)) == len(said)
    assert all(one != other for one, other in zip(said, turned, strict=True))


@every_field
def test_what_it_reads_decides_as_the_whole_message_does(session: Session, name: str) -> None:
    held = 0
    for condition in cached_examples(name):
        for message, given in mail_of(session):
            read = condition.reads(message)
            hash(read)
            evidence = condition.evidence(message, given)
            assert (
                condition.holds_of(read, given)
                is condition.holds(message, given)
                is (evidence is not None)
            )
            held += evidence is not None
            if evidence is not None:
                start, end = evidence.span
                assert 0 <= start <= end <= len(evidence.value)
                assert value_in_words(evidence.field, evidence.value)
                because = because_saying(evidence.field, evidence.value, start, end)
                quoted = isinstance(condition, TextTestCondition)
                assert quoted or "“" not in because, "no words for its evidence"
    assert held, "no example holds for any mail: the test would show nothing"


@every_field
def test_the_rehearsal_counts_what_the_core_takes(session: Session, name: str) -> None:
    masks = Masks(session, MailboxCircumstances(session, NOW).of(NOW))
    for condition in cached_examples(name):
        mask = masks.of(condition, IdRange(0, masks.top))
        assert {int(at) + 1 for at in mask.nonzero()[0]} == takes(session, condition), condition


@pytest.mark.parametrize(
    "name", [field for field in FIELDS if not FIELDS[field].condition.of_state]
)
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
            ids = {row.id for row in find_messages(session, condition, UTC, limit=1_000).rows}
        except NotSearchableError:
            assert not answer.exact or name in ("age", "addressed", "contact")
            continue
        assert answer.exact
        assert ids == takes(session, condition), condition


@pytest.mark.parametrize("prefix", PREFIXES)
def test_each_prefix_of_find_asks_for_what_sql_finds(session: Session, prefix: str) -> None:
    choices = list(PREFIXES[prefix].choices) or ["2026-05-01", "ann"]
    for value in choices:
        search = understand(f"{prefix}:{value}", date(2026, 5, 4))
        if search.test is not None:
            assert isinstance(search.test, BaseCondition)
            ids = {row.id for row in find_messages(session, search.test, UTC, limit=1_000).rows}
            assert ids == takes(session, search.test)
            break
    else:
        pytest.fail("no value is understood")


def _of_several(conditions: list[BaseCondition]) -> set[str]:
    """Fields whose values don't exclude each other: a message may bear many labels."""
    return {
        condition.field
        for condition in conditions
        if isinstance(condition, NamedCondition) and not condition.one_only
    }


#: Of each field so many conditions are held against all others.
PER_FIELD = 48


def test_what_follows_and_what_is_excluded_is_so_for_all_mail(session: Session) -> None:
    chance, singles = random.Random(5322), []  # noqa: S311 -- a sample, always the same
    for name in FIELDS:
        known = [single for condition in cached_examples(name) for single in condition.singles()]
        known = list(dict.fromkeys(known))
        singles += chance.sample(known, min(len(known), PER_FIELD))
    taken = {single: takes(session, single) for single in singles}
    shown = dict.fromkeys(FIELDS, 0)
    for one in singles:
        assert follows(one, one)
        assert not (taken[one] and excludes(one, one)), one
        opposite = one.opposite()
        if opposite is not None:
            assert takes(session, opposite) == {m.id for m, _ in mail_of(session)} - taken[one]
        for other in singles:
            if follows(one, other):
                assert taken[one] <= taken[other], (one, other)
                shown[one.field] += one != other
            if excludes(one, other):
                assert not taken[one] & taken[other], (one, other)
                shown[one.field] += 1
    silent = {field for field, claims in shown.items() if not claims}
    # Of either text only the two fields it stands for are asked.
    assert silent <= {"text"} | _of_several(singles), "logic knows nothing of these"


@every_field
def test_the_singles_of_a_condition_take_together_what_it_takes(
    session: Session, name: str
) -> None:
    for condition in cached_examples(name):
        together = set().union(*(takes(session, single) for single in condition.singles()))
        assert together == takes(session, condition)


def test_the_docs_have_every_test() -> None:
    assert set(catalogue()["testLabels"]["text"]) == {*TEXT_TESTS, "under", "exists"}


def test_the_editors_catalogue_is_that_of_the_models(tmp_path: Path) -> None:
    write_catalogue(tmp_path / "catalogue.ts")
    made = (tmp_path / "catalogue.ts").read_text("utf-8")
    assert made == CATALOGUE.read_text("utf-8"), "it is stale: run make api"
