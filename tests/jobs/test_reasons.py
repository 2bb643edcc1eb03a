"""Why a message is as it is: from what was really done and still stands, undo looked through."""

from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlmodel import Session

from mnemic.core import parse_message, read_rule
from mnemic.core.actions import FileAction, LabelAction, MarkAction
from mnemic.core.evidence_words import because_saying, value_in_words
from mnemic.jobs import take_in
from mnemic.jobs.catch_up.planning import CatchUpPlan
from mnemic.jobs.line.line_changes import change_rule, delete_rules, make_rule
from mnemic.jobs.people.acts import act
from mnemic.jobs.people.reasons import deeds_of, reasons_for, undone_deeds_of
from mnemic.store import Database
from mnemic.store.engine.sql import fetch
from mnemic.store.journal.causes import causes_of
from mnemic.store.journal.trail import trail_of
from mnemic.store.journal.undo import last_run_to_undo, undo_run
from mnemic.store.line.catch_ups import get_job
from mnemic.store.line.pins import Pin, change_pins, pins_of_rules
from mnemic.store.line.rule_work import work_of
from mnemic.store.line.rules import add_rule, list_rules
from mnemic.store.mail.listing import rows_of
from mnemic.store.search.selection import Selection
from tests.jobs.catching_up import run, start

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
AT = int(NOW.timestamp())
MAIL = b"From: Ann <ann@x.example>\nTo: b@x.example\nSubject: a permit\n\n"


def rule(name: str, *then: dict[str, Any], **more: Any) -> Any:
    when = {"field": "subject", "test": "words", "values": ["permit"]}
    return read_rule({"name": name, "when": when, "then": list(then), **more})


def why(session: Session, message: int) -> str:
    reasons = reasons_for(session, rows_of(session, [message]), trail_of(session, [message])).get(
        message
    )
    if reasons is None:
        return ""
    return f"{reasons.saying} {reasons.rule_name}: {reasons.because}".removesuffix(": ").strip()


def last_run(session: Session) -> int:
    ((run_id,),) = fetch(session, "SELECT max(id) FROM run")
    return int(run_id)


@pytest.mark.parametrize(
    ("then", "said"),
    [
        ([{"do": "file", "folder": "A/B"}, {"do": "flag"}], "here by r: “permit”"),
        ([{"do": "archive"}], "here by r: “permit”"),
        ([{"do": "label", "label": "Red"}, {"do": "flag"}], "flagged and labelled Red by r: “permit”"),
        ([{"do": "flag"}], "flagged by r: “permit”"),
        ([{"do": "read"}], "marked as read by r: “permit”"),
        ([{"do": "colour", "colour": "moss"}], "coloured moss by r: “permit”"),
        ([{"do": "priority", "level": "high"}], "given high importance by r: “permit”"),
        ([{"do": "forward", "to": ["c@y.example", "d@y.example"]}], "forwarded to c@y.example and d@y.example by r: “permit”"),
        ([{"do": "reply", "text": "away"}], "answered by r: “permit”"),
        ([{"do": "notify"}], "told with a sound by r: “permit”"),
        ([{"do": "keep"}], "kept in the inbox by r: “permit”"),
        ([{"do": "unread"}, {"do": "unlabel", "label": "Red"}], ""),
    ],
)  # fmt: skip
def test_the_line_says_what_was_really_done(
    database: Database, then: list[dict[str, Any]], said: str
) -> None:
    with database.writing() as session:
        add_rule(session, rule("r", *then))
        message = take_in(session, parse_message(MAIL), received=NOW).message_id
        assert why(session, message) == said


def test_a_copy_says_which_rule_made_it_and_a_rule_without_evidence_no_more_than_its_name(
    database: Database,
) -> None:
    with database.writing() as session:
        always = {"name": "all", "when": {"always": True}, "then": [{"do": "copy", "folder": "C"}]}
        add_rule(session, read_rule({**always, "then": [*always["then"], {"do": "flag"}]}))
        original = take_in(session, parse_message(MAIL), received=NOW).message_id
        ((copied,),) = fetch(session, "SELECT max(id) FROM message")
        assert (why(session, original), why(session, copied)) == (
            "flagged by all",
            "copied here by all",
        )


def test_what_is_undone_has_its_earlier_reason_back(database: Database) -> None:
    with database.writing() as session:
        lists, tiny = (
            add_rule(session, rule("Boaters’ list", {"do": "file", "folder": "Lists"})),
            add_rule(session, rule("Tiny", {"do": "flag"}, stop=False)),
        )
        session.flush()
        message = take_in(session, parse_message(MAIL), received=NOW, rules=[lists]).message_id
        mine = Selection(ids=(message,))
        said = "here by Boaters’ list: “permit”"
        assert why(session, message) == said
        act(session, mine, FileAction(do="file", folder="Mine"), at=AT + 10)
        moved = last_run(session)
        assert why(session, message) == "put here by you"
        back = undo_run(session, moved, at=AT + 20)
        assert back is not None
        assert why(session, message) == said
        again = undo_run(session, back.run_id or 0, at=AT + 30)
        assert why(session, message) == "put here by you"
        assert again is not None
        assert (back.again, again.again) == (False, True)
        undo_run(session, again.run_id or 0, at=AT + 40)
        assert why(session, message) == said
        # A rule's flag that is undone is nobody's; undone with the rule's filing, nothing is told.
        run(session, CatchUpPlan((tiny.id,), takes_left=True), at=AT + 50)
        flagged = last_run(session)
        undo_run(session, flagged, at=AT + 60)
        assert why(session, message) == said
        ((arrived,),) = fetch(session, "SELECT min(id) FROM run")
        undo_run(session, arrived, at=AT + 70)
        assert why(session, message) == ""


@settings(deadline=None, max_examples=40, suppress_health_check=list(HealthCheck))
@given(
    st.lists(st.sampled_from(["A", "B", "flag", "unflag", "label", "undo", "undo two"]), max_size=9)
)
def test_undoing_brings_back_every_cause(database: Database, steps: list[str]) -> None:
    """A law: after an undo each cause is what it was before the run that was undone."""
    with database.writing() as session:
        message = take_in(session, parse_message(MAIL), received=NOW).message_id
        mine = Selection(ids=(message,))
        before: dict[int, Any] = {}
        done: list[int] = []
        for step in steps:
            now = causes_of(session, [message]).get(message, [])
            if step.startswith("undo"):
                if not done:
                    continue
                undone = done.pop()
                undo_run(session, undone, at=AT)
                assert causes_of(session, [message]).get(message, []) == before[undone]
                continue
            what: Any = (
                FileAction(do="file", folder=step) if step in "AB"
                else LabelAction(do="label", label="x") if step == "label"
                else MarkAction(do=step)
            )  # fmt: skip
            run_id = act(session, mine, what, at=AT).run_id
            if run_id is not None:
                before[run_id] = now
                done.append(run_id)
        session.rollback()


def test_a_rule_that_comes_back_is_the_same_rule(database: Database) -> None:
    with database.writing() as session:
        made = make_rule(session, rule("r", {"do": "file", "folder": "A"}), at=AT)
        key = made.rules[0].id
        message = take_in(session, parse_message(MAIL), received=NOW).message_id
        change_pins(session, key, [Pin(message, wanted=True)])
        worked = work_of(session, key, [AT - 10] * 8)
        for _ in range(2):
            undone = undo_run(session, made.run_id or 0, at=AT)
            assert undone is not None
            assert list_rules(session) == []
            assert why(session, message) == "here by r: “permit”"  # undoing the rule leaves mail
            again = undo_run(session, undone.run_id or 0, at=AT)
            assert again is not None
            assert (undone.saying, again.saying) == (
                "Undone: Rule “r” made",
                "Done again: Rule “r” made",
            )
            assert [stored.id for stored in list_rules(session)] == [key]
            made = again  # type: ignore[assignment] # it has a run, too
            assert made.run_id is not None
            ((made_id,),) = fetch(session, "SELECT min(id) FROM run WHERE saying = 'Rule “r” made'")
            object.__setattr__(made, "run_id", made_id)
        assert work_of(session, key, [AT - 10] * 8) == worked
        assert list(pins_of_rules(session)) == [key]
        assert trail_of(session, [message])[message][0].rule_id == key
        change_rule(session, key, rule("s", {"do": "archive"}), at=AT)
        delete_rules(session, [key], at=AT)
        assert why(session, message) == "here by r: “permit”"


def test_the_undo_key_takes_the_newest_thing_a_catch_up_included(database: Database) -> None:
    with database.writing() as session:
        take_in(session, parse_message(MAIL), received=NOW)
        made = make_rule(session, rule("r", {"do": "file", "folder": "A"}), at=AT + 1)
        job = start(session, CatchUpPlan((made.rules[0].id,)), now=NOW)
        last = last_run_to_undo(session, 0)
        assert (last and last.id) == job.run_id  # it goes on, and can be taken back
        run(session, CatchUpPlan((made.rules[0].id,)), at=AT + 3)
        done = get_job(session, job.id)
        assert done is not None
        taken = []
        while (last := last_run_to_undo(session, 0)) is not None:
            taken.append(last.saying)
            undo_run(session, last.id or 0, at=AT + 5)
        assert taken == ["Catch-up with “r”", "Rule “r” made"]


def test_the_trail_tells_what_was_not_done_and_why(database: Database) -> None:
    with database.writing() as session:
        add_rule(session, rule("first", {"do": "file", "folder": "A"}))
        add_rule(
            session,
            rule(
                "second",
                {"do": "file", "folder": "B"},
                {"do": "flag"},
                {"do": "reply", "text": "x"},
            ),
        )
        message = take_in(
            session, parse_message(b"List-Id: <a.b>\n" + MAIL), received=NOW
        ).message_id
        first, second = trail_of(session, [message])[message]
        assert (deeds_of(first), undone_deeds_of(first)) == (["filed in A"], [])
        assert deeds_of(second) == ["flagged"]
        assert undone_deeds_of(second) == [
            "not filed in B: “first” came first",
            "not answered, because it is automatic mail: List-Id (RFC 2919)",
        ]  # fmt: skip


@pytest.mark.parametrize(
    ("field", "value", "span", "because"),
    [
        ("subject", "a permit", (2, 8), "“permit”"),
        ("recipient", "x", (0, 1), "“x”"),
        ("to", "Moorings <moorings@trust.example>", (10, 32), "came to moorings@"),
        ("from", "berths@quay.example", (0, 6), "from berths@"),
        ("addressed", "cc_me", (0, 5), "I am in Cc"),
        ("contact", "first", (0, 5), "the first message from its sender"),
        ("kind", "auto_reply: Auto-Submitted (RFC 3834)", (0, 1), "an automatic answer"),
        ("folder", "A/B", (0, 3), "in A / B"),
        ("priority", "high", (0, 4), "high importance"),
        ("X-Tag", "new thing", (0, 3), "“new”"),
    ],
)
def test_evidence_is_said_in_the_offices_words(
    field: str, value: str, span: tuple[int, int], because: str
) -> None:
    assert because_saying(field, value, *span) == because
    assert "_" not in value_in_words(field, value)
