"""A catch-up sends mail through the whole line; only what the chosen rules do is carried out."""

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlmodel import Session

from mnemic.core import Given, parse_message, read_rule, through_rules
from mnemic.core.actions import CopyAction, FileAction, LabelAction, MarkAction, PlaceAction
from mnemic.jobs import rehearse, take_in
from mnemic.jobs.catch_up.planning import CatchUpPlan
from mnemic.jobs.catch_up.preview import preview_catch_up, question_before
from mnemic.jobs.people.acts import act
from mnemic.jobs.people.folders_and_labels import delete_folder
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.large_moves import LargeMove, LargeMoveError, question_about
from mnemic.store import Database
from mnemic.store.engine.sql import fetch
from mnemic.store.line.rules import StoredRule, add_rule, list_rules
from mnemic.store.mail.folders import ensure_folder, folder_paths, folder_with_role
from mnemic.store.mail.listing import message_ids
from mnemic.store.mail.message_views import stored_messages
from mnemic.store.search.selection import Selection
from tests.core import strategies
from tests.jobs.catching_up import run

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
AT = int(NOW.timestamp())
PLACES = ["Inbox", "A", "B", "Sent", "Junk", "Trash"]


def fill(session: Session, words: list[str]) -> list[int]:
    """Mail with these subjects, the first in the inbox, the next in A, and so on."""
    ids = []
    for n, word in enumerate(words):
        octets = (
            f"From: s{n % 3}@x.example\nSubject: {word} {n}\nX-Tag: new\n\nberth number {n % 2}\n"
        )
        message = parse_message(octets.encode())
        arrival = take_in(session, message, received=NOW - timedelta(hours=n), rules=[])
        place = FileAction(do="file", folder=PLACES[n % len(PLACES)])
        act(session, Selection(ids=(arrival.message_id,)), place, at=AT - 10_000)
        ids.append(arrival.message_id)
    return ids


def state(session: Session) -> dict[int, Any]:
    return {
        message.id: (
            message.state.folder,
            message.state.labels,
            message.state.flagged,
            message.row.colour,
        )
        for message in stored_messages(session, message_ids(session))
    }


def rule(name: str, word: str, *then: dict[str, Any], **more: Any) -> Any:
    when = {"field": "subject", "test": "words", "values": [word]}
    return read_rule({"name": name, "when": when, "then": list(then), **more})


def to(folder: str) -> dict[str, Any]:
    return {"do": "file", "folder": folder}


LABEL = {"do": "label", "label": "Note"}


def test_what_a_rule_above_places_or_stops_is_left_to_it_unless_asked(database: Database) -> None:
    with database.writing() as session:
        ids = fill(session, ["permit"] * 6 + ["event permit"] * 6 + ["permit fair"] * 6)
        above = add_rule(session, rule("fairs", "fair", to("Fairs"), stop=True))
        events = add_rule(session, rule("events", "event", to("Events")))
        mine = add_rule(session, rule("permits", "permit", to("Permits"), LABEL))
        before = state(session)
        plan = CatchUpPlan((mine.id,))
        examined, preview = preview_catch_up(session, plan, now=NOW)
        done = run(session, plan, at=AT)
        assert (examined, preview) == (9, done)
        assert (preview.left, preview.taken, preview.changed) == ({events.id: 3, above.id: 3}, 6, 6)
        assert (preview.moved, preview.labelled, preview.out_of_inbox) == (3, 6, 1)
        after = state(session)
        for at, key in enumerate(ids):
            kept = PLACES[at % 6] in ("Sent", "Junk", "Trash") or at >= 12
            assert (after[key] == before[key]) is kept
            placed = not kept and at < 6
            assert after[key][0] == ("Permits" if placed else before[key][0])
        rest, _ = preview_catch_up(session, CatchUpPlan((mine.id,), everywhere=True), now=NOW)
        assert rest == len(ids)
        whole = run(session, CatchUpPlan((mine.id,), takes_left=True, everywhere=True), at=AT + 5)
        assert (whole.left, whole.taken) == ({}, len(ids))
        assert {row[0] for row in state(session).values()} == {"Permits"}


def test_a_folder_that_is_named_is_meant_be_it_the_trash(database: Database) -> None:
    with database.writing() as session:
        fill(session, ["permit"] * 6)
        mine = add_rule(session, rule("permits", "permit", to("Permits")))
        trash = Selection(folder_id=folder_with_role(session, "trash"))
        assert run(session, CatchUpPlan((mine.id,), trash), at=AT).moved == 1


def test_to_keep_is_to_leave_where_it_is_but_for_mail_that_arrives(database: Database) -> None:
    with database.writing() as session:
        fill(session, ["permit"] * 6)
        keeps = add_rule(session, rule("keep", "permit", {"do": "keep"}, {"do": "flag"}))
        add_rule(session, rule("file", "permit", to("A")))
        before = state(session)
        rehearsed = rehearse(session, keeps.rule, rule_id=keeps.id, now=NOW)
        report = run(session, CatchUpPlan((keeps.id,)), at=AT)
        assert (report.moved, report.marked, rehearsed.catch_up) == (0, 3, 3)
        assert {k: v[0] for k, v in state(session).items()} == {k: v[0] for k, v in before.items()}
        folders = fetch(session, "SELECT folder FROM trail WHERE rule_id = :id", id=keeps.id)
        assert folders == [(None,)] * 3
        arrival = take_in(session, parse_message(b"Subject: permit\n\n"), received=NOW)
        assert state(session)[arrival.message_id][0] == "Inbox"
        back = add_rule(session, rule("back", "permit", to("Inbox")))
        assert run(session, CatchUpPlan((back.id,), takes_left=True), at=AT + 1).moved == 2


@pytest.mark.parametrize("arrives", [True, False])
def test_copies_bear_what_rules_put_on(database: Database, *, arrives: bool) -> None:
    copies: Any = rule("copy", "permit", {"do": "copy", "folder": "Copies"}, LABEL, {"do": "flag"})
    with database.writing() as session:
        stored = add_rule(session, copies)
        rules: list[StoredRule] | None = None if arrives else []
        take_in(session, parse_message(b"Subject: permit\n\n"), received=NOW, rules=rules)
        if not arrives:
            run(session, CatchUpPlan((stored.id,)), at=AT)
        copied = [row for row in state(session).values() if row[0] == "Copies"]
        assert copied == [("Copies", ("Note",), True, None)]


#: A quarter of all mail, or a thousand, is the most that moves without a question.
@pytest.mark.parametrize(
    ("move", "asked"),
    [
        (LargeMove(25, 0, 0, 100), False),
        (LargeMove(26, 0, 0, 100), True),
        (LargeMove(0, 26, 0, 100), True),
        (LargeMove(0, 0, 26, 100), True),
        (LargeMove(1_000, 1_000, 1_000, 90_000), False),
        (LargeMove(0, 0, 1_001, 90_000), True),
        (LargeMove(1, 0, 1, 1), False),
    ],
)
def test_much_of_the_mail_is_asked_about(move: LargeMove, *, asked: bool) -> None:
    assert (question_about(move) is not None) is asked


def test_a_catch_up_and_an_act_ask_with_their_number(database: Database) -> None:
    with database.writing() as session:
        ids = fill(session, ["permit"] * 12)
        trashes = add_rule(session, rule("away", "permit", {"do": "trash"}))
        _, preview = preview_catch_up(session, CatchUpPlan((trashes.id,)), now=NOW)
        asked = "6 of 12 messages move to the trash"
        assert question_before(session, preview) == asked
        assert rehearse(session, trashes.rule, now=NOW).question == asked
        trash, mail = PlaceAction(do="trash"), Selection(ids=tuple(ids))
        with pytest.raises(LargeMoveError, match="10 of 12 messages move to the trash"):
            act(session, mail, trash, at=AT, ask_first=True)
        act(session, Selection(ids=tuple(ids[:3])), trash, at=AT, ask_first=True)  # a quarter
        act(session, mail, FileAction(do="file", folder="Inbox"), at=AT, ask_first=True)
        with pytest.raises(LargeMoveError, match="12 of 12 messages move out of the inbox"):
            act(session, mail, FileAction(do="file", folder="A"), at=AT, ask_first=True)
        folders = len(folder_paths(session))
        with pytest.raises(LargeMoveError, match="12 of 12 messages move out of the inbox"):
            act(session, mail, FileAction(do="file", folder="New"), at=AT, ask_first=True)
        assert len(folder_paths(session)) == folders  # what is only asked about makes nothing
        for harmless in (
            MarkAction(do="flag"),
            LabelAction(do="label", label="x"),
            CopyAction(do="copy", folder="A"),
        ):
            act(session, mail, harmless, at=AT, ask_first=True)  # fmt: skip
        act(session, mail, FileAction(do="file", folder="A"), at=AT)
        folder = ensure_folder(session, "A")
        # With the copies that were made before.
        with pytest.raises(LargeMoveError, match="24 of 24 messages move to the trash"):
            delete_folder(session, folder, at=AT, ask_first=True)
        assert {row[0] for row in state(session).values()} == {"A"}
        assert delete_folder(session, folder, at=AT) is not None


@pytest.fixture(scope="module")
def mailbox(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Database]:
    opened = Database(tmp_path_factory.mktemp("line") / "mnemic.sqlite3")
    with opened.writing() as session:
        fill(session, [strategies.WORDS[n % 7] for n in range(48)])
        ensure_folder(session, "Red")
    yield opened
    opened.close()


words = st.sampled_from(["permit", "new", "a", "berth", "news"])
then = st.lists(
    st.sampled_from([
        to("A"), to("B"), to("Inbox"), {"do": "keep"}, {"do": "trash"}, {"do": "flag"}, {"do": "unflag"},
        {"do": "read"}, LABEL, {"do": "unlabel", "label": "note"}, {"do": "colour", "colour": "moss"},
        {"do": "copy", "folder": "A"}, {"do": "notify"},
    ]),
    min_size=1, max_size=3,
    unique_by=lambda action: {"file": "place", "keep": "place", "trash": "place", "flag": "f", "unflag": "f", "label": "l", "unlabel": "l"}.get(action["do"], action["do"]),
)  # fmt: skip
line: st.SearchStrategy[list[Any]] = st.lists(
    st.builds(
        lambda word, does, stop, enabled, runs: rule("r", word, *does, stop=stop, enabled=enabled, runs=runs),
        words, then, st.booleans(), st.sampled_from([True, True, False]),
        st.sampled_from([["arrival"], ["arrival", "daily"], ["hand"]]),
    ),
    min_size=1, max_size=5,
)  # fmt: skip


@settings(deadline=None, max_examples=60, suppress_health_check=list(HealthCheck))
@given(line, st.data())
def test_the_button_tells_what_the_catch_up_does(
    mailbox: Database, rules: list[Any], data: st.DataObject
) -> None:
    chosen = data.draw(st.integers(0, len(rules) - 1))
    by_hand = data.draw(st.lists(st.integers(1, 48), max_size=4))
    with mailbox.writing() as session:
        stored = [add_rule(session, rule) for rule in rules]
        mine, plan = stored[chosen], CatchUpPlan((stored[chosen].id,))
        run(session, plan, at=AT)
        act(session, Selection(ids=tuple(by_hand)), FileAction(do="file", folder="Mine"), at=AT + 1)
        act(session, Selection(ids=tuple(by_hand[:1])), MarkAction(do="flag"), at=AT + 1)
        expected = _by_the_core(session, mine.id)
        rehearsed = rehearse(session, mine.rule, rule_id=mine.id, above=stored[:chosen], now=NOW)
        _, preview = preview_catch_up(session, plan, now=NOW)
        before = state(session)
        done = run(session, plan, at=AT + 2)
        after = state(session)
        assert preview == done
        assert (preview.changed, question_before(session, preview)) == (
            rehearsed.catch_up,
            rehearsed.question,
        )
        acted = {k for (k,) in fetch(session, "SELECT message_id FROM trail WHERE at = :at", at=AT)}
        guarded = acted & set(by_hand)
        moved = {
            key: place[0] for key, place in after.items() if before.get(key, place)[0] != place[0]
        }
        assert moved == {
            k: v for k, v in expected.items() if v != before[k][0] and k not in guarded
        }
        stays = {message.message.id for message in rehearsed.first if message.stays}
        assert not stays & moved.keys()
        session.rollback()


@settings(deadline=None, max_examples=60, suppress_health_check=list(HealthCheck))
@given(line, st.data())
def test_what_several_rules_do_is_told_as_it_is_done(
    mailbox: Database, rules: list[Any], data: st.DataObject
) -> None:
    some = st.sets(st.integers(0, len(rules) - 1), min_size=1)
    by_hand = data.draw(st.lists(st.integers(1, 48), max_size=6))
    with mailbox.writing() as session:
        stored = [add_rule(session, rule) for rule in rules]
        run(session, CatchUpPlan(tuple(stored[at].id for at in data.draw(some))), at=AT)
        act(session, Selection(ids=tuple(by_hand)), FileAction(do="file", folder="Mine"), at=AT + 1)
        plan = CatchUpPlan(
            tuple(stored[at].id for at in data.draw(some)),
            everywhere=data.draw(st.booleans()),
            respects=data.draw(st.booleans()),
            takes_left=data.draw(st.booleans()),
        )
        _, preview = preview_catch_up(session, plan, now=NOW)
        assert preview == run(session, plan, at=AT + 2)
        session.rollback()


def _by_the_core(session: Session, mine: int) -> dict[int, str]:
    """Where the line as it is puts each message that the chosen rule places."""
    around = MailboxCircumstances(session, NOW)
    passed = [
        e
        for e in list_rules(session)
        if e.id == mine or (e.rule.enabled and "arrival" in e.rule.runs)
    ]
    at = [stored.id for stored in passed].index(mine)
    rules = [
        stored.rule.model_copy(update={"enabled": True, "runs": ("hand",)}) for stored in passed
    ]
    places = {}
    for message in stored_messages(session, message_ids(session)):
        if message.state.folder in ("Sent", "Junk", "Trash"):
            continue
        outcome = through_rules(
            rules, message, "hand", Given(message.state, around.of(NOW, message.id))
        )
        mine_took = next((rule for rule in outcome.takers if rule.position == at), None)
        for action in mine_took.actions if mine_took else ():
            if action.action.slot == "place" and action.overruled_by is None and outcome.place:
                places[message.id] = outcome.folder or outcome.place.capitalize()
    return places
