"""One message through the line: order, slots, stop and the trail."""

from typing import Any

from mnemic.core import Given, MessageState, parse_message, read_rule, through_rules
from mnemic.core.sentence import sentence

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


def test_a_rule_is_read_back_as_one_sentence() -> None:
    read = read_rule(
        {
            "name": "r",
            "when": {
                "all": [
                    {"field": "recipient", "test": "is", "values": ["moorings@x.example"]},
                    {
                        "any": [
                            {"field": "subject", "test": "words", "values": ["permit", "licence"]},
                            {"field": "body", "test": "contains", "values": ["berth number"]},
                        ]
                    },
                ]
            },
            "unless": {"field": "from", "part": "domain", "test": "under", "values": ["x.example"]},
            "then": [file("Moorings/Permits"), label("Permit")],
            "stop": True,
        }
    )
    said = "".join(each.text for each in sentence(read.when, read.unless, read.then, stop=True))
    assert said == (
        "When a recipient is moorings@x.example and (either the subject has the word permit or "
        "licence or the text contains berth number), unless the sender’s domain is or is below "
        "x.example: file it in Moorings / Permits and label it Permit; no later rule is tried."
    )
