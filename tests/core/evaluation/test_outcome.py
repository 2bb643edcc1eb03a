"""One message through the line: order, slots, stop and the trail.

What is taken from RFC 3834 and RFC 5230 is from memory; their texts were not at hand.
"""

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from mnemic.core import Circumstances, Given, MessageState, parse_message, read_rule, through_rules
from mnemic.core.actions import FORWARD_MARK

MAIL = parse_message(b"From: a@x.example\nTo: moorings@x.example\nSubject: permit\n\nberth")


def rule(name: str, *then: dict[str, Any], **more: Any) -> Any:
    return read_rule({"name": name, "when": {"always": True}, "then": list(then), **more})


def file(folder: str) -> dict[str, Any]:
    return {"do": "file", "folder": folder}


def label(name: str) -> dict[str, Any]:
    return {"do": "label", "label": name}


def test_the_first_rule_that_sets_a_place_wins_and_the_other_is_kept_as_overruled() -> None:
    rules = [rule("one", label("A")), rule("two", file("X")), rule("three", file("Y"), label("B"))]
    outcome = through_rules(rules, MAIL)
    assert (outcome.place, outcome.folder, outcome.labels) == ("folder", "X", ("A", "B"))
    assert [action.overruled_by for action in outcome.trail[2].actions] == ["two", None]


def test_labels_add_up_without_doubles() -> None:
    outcome = through_rules([rule("one", label("Permit")), rule("two", label("permit"))], MAIL)
    assert outcome.labels == ("Permit",)


def test_after_stop_no_later_rule_is_tried() -> None:
    outcome = through_rules([rule("one", label("A"), stop=True), rule("two", file("X"))], MAIL)
    assert (outcome.stopped_by, len(outcome.trail), outcome.place) == ("one", 1, "inbox")


def test_a_rule_that_is_off_or_for_another_event_or_account_is_not_tried() -> None:
    rules = [
        rule("off", file("X"), enabled=False),
        rule("by hand", file("X"), runs=["hand"]),
        rule("elsewhere", file("X"), accounts=["Other@x.example"]),
    ]
    assert through_rules(rules, MAIL, "arrival", Given(MessageState("me@x.example"))).trail == ()
    assert (
        through_rules(rules, MAIL, "arrival", Given(MessageState("other@x.example"))).folder == "X"
    )


def test_without_a_place_mail_goes_to_the_inbox_on_arrival_and_stays_on_other_events() -> None:
    rules = [rule("one", label("A"), runs=["arrival", "hand"])]
    assert through_rules(rules, MAIL, "arrival").place == "inbox"
    assert through_rules(rules, MAIL, "hand").place is None


def test_unless_spares_what_when_takes() -> None:
    unless = {"field": "subject", "test": "is", "values": ["permit"]}
    outcome = through_rules([rule("one", file("X"), unless=unless)], MAIL)
    assert (outcome.trail[0].took, outcome.place) == (False, "inbox")


ALL_ACTIONS: list[dict[str, Any]] = [
    {"do": "file", "folder": "A"},
    {"do": "copy", "folder": "B"},
    {"do": "label", "label": "L"},
    {"do": "unlabel", "label": "M"},
    {"do": "read"},
    {"do": "flag"},
    {"do": "colour", "colour": "moss"},
    {"do": "priority", "level": "high"},
    {"do": "forward", "to": ["c@x.example", "C@X.example", "d@x.example"]},
    {"do": "reply", "text": "I am away"},
    {"do": "notify", "sound": "bell"},
]


def test_every_action_and_what_a_later_rule_can_still_add() -> None:
    later: list[dict[str, Any]] = [
        {"do": "trash"},
        {"do": "copy", "folder": "b"},
        {"do": "unlabel", "label": "l"},
        {"do": "label", "label": "N"},
        {"do": "unread"},
        {"do": "unflag"},
        {"do": "colour", "colour": "clay"},
        {"do": "priority", "level": "low"},
        {"do": "forward", "to": ["e@x.example"]},
        {"do": "notify"},
    ]
    outcome = through_rules([rule("one", *ALL_ACTIONS), rule("two", *later)], MAIL)
    assert outcome._replace(trail=()) == outcome._replace(
        taken_by=(0, 1),
        rules=("one", "two"),
        place="folder",
        folder="A",
        copies=("B",),
        labels=("L", "N"),
        unlabels=("M",),
        seen=True,
        flagged=True,
        colour="moss",
        priority="high",
        forward=("c@x.example", "d@x.example", "e@x.example"),
        reply=True,
        notify=("bell", "default"),
        stopped_by=None,
        trail=(),
    )
    overruled = {action.action.do for action in outcome.trail[1].actions if action.overruled_by}
    assert overruled == {"trash", "unlabel", "unread", "unflag", "colour", "priority"}


@pytest.mark.parametrize(
    ("do", "place"),
    [("keep", "inbox"), ("archive", "archive"), ("trash", "trash"), ("erase", "erased")],
)
def test_places(do: str, place: str) -> None:
    assert through_rules([rule("one", {"do": do})], MAIL).place == place


@pytest.mark.parametrize(
    ("header", "source"),
    [
        ("Auto-Submitted: auto-generated", "RFC 3834, section 2"),
        ("Auto-Submitted: auto-replied", "RFC 3834, section 2"),
        ("Return-Path: <>", "RFC 3834, section 2"),
        ("List-Id: <l.x.example>", "RFC 5230, section 4.6"),
        ("List-Unsubscribe: <mailto:u@x.example>", "RFC 5230, section 4.6"),
        ("Precedence: bulk", "RFC 3834, section 2, from memory"),
        ("Precedence: Junk", "rule document"),
        ("Precedence: list", "rule document"),
        ("X-Autoreply: yes", "rule document, Kinds"),
    ],
)
def test_no_answer_that_could_loop(header: str, source: str) -> None:
    reply = rule("away", {"do": "reply", "text": "away"})
    message = parse_message(f"From: ann@x.example\n{header}\n\nhi".encode())
    outcome = through_rules([reply], message)
    assert (outcome.reply, outcome.rules) == (False, ("away",)), source
    assert outcome.trail[0].actions[0].held_back


def test_one_answer_in_so_many_days_and_one_forward_for_an_owner() -> None:
    now = datetime(2026, 5, 9, tzinfo=UTC)
    message = parse_message(b"Return-Path: <Ann@X.example>\nFrom: a@b.example\n\nhi")
    for days, answered in ((4, True), (6, False)):
        given = Given(
            circumstances=Circumstances(now=now, answered={"ann@x.example": now - timedelta(5)})
        )
        reply = rule("away", {"do": "reply", "text": "away", "every": days})
        assert through_rules([reply], message, given=given).reply is answered
    forward = rule("on", {"do": "forward", "to": ["c@x.example"]})
    marked = parse_message(f"{FORWARD_MARK}: Me@x.example\nFrom: a@b.example\n\nhi".encode())
    for me, sent in (("me@x.example", ()), ("you@x.example", ("c@x.example",))):
        given = Given(circumstances=Circumstances(me=frozenset([me])))
        assert through_rules([forward], marked, given=given).forward == sent
