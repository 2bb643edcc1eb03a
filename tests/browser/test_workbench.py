"""The rule workbench with the keyboard alone; ``test_making_rules`` does it with the mouse."""

import json
import re
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.hands import Keyboard, Mouse
from tests.browser.places import sentence, takes


@pytest.fixture
def hand(app: Page) -> Mouse:
    return Keyboard(app)


def saved(app: Page) -> None:
    expect(app.get_by_role("banner").get_by_role("status").first).to_contain_text("Saved “")


def test_a_sender_goes_to_a_folder(app: Page, hand: Mouse) -> None:
    hand.new_rule()
    hand.choose("Condition 1: test", "is")
    hand.value("^Condition 1: Sender is", "priya.n@millpond.example")
    hand.create("File in folder", "People/Priya")
    hand.save()
    saved(app)
    expect(sentence(app)).to_have_text(
        "When the sender is priya.n@millpond.example: file it in People / Priya; "
        "later rules may still act."
    )
    assert takes(app) > 0
    expect(app.get_by_label("Name of the rule")).to_have_value("From priya.n@millpond.example")


def test_either_of_two_aliases_goes_to_a_folder(app: Page, hand: Mouse) -> None:
    hand.new_rule()
    hand.choose("Condition 1: what is looked at", "Recipient")
    hand.value("^Condition 1: Recipient", "events@wendle-lyde.example", "shop@wendle-lyde.example")
    hand.create("File in folder", "Both")
    hand.save()
    saved(app)
    expect(sentence(app)).to_contain_text(
        "a recipient contains events@wendle-lyde.example or shop@wendle-lyde.example"
    )


def test_sender_and_word_give_priority_and_colour_unless_of_low_importance(
    app: Page, hand: Mouse
) -> None:
    hand.new_rule()
    hand.value("^Condition 1: Sender", "post.example")
    hand.press(app.get_by_role("button", name="+ condition"))
    hand.value("^Condition 2: Subject", "permit")
    hand.press(app.get_by_role("button", name="+ exception"))
    hand.choose("Unless: Condition 1: what is looked at", "Importance")
    hand.choose("Unless: Condition 1: Importance is", "low")
    app.keyboard.press("Escape")
    hand.add_action("Set its importance")
    hand.add_action("Colour it")
    hand.save()
    saved(app)
    expect(sentence(app)).to_have_text(
        "When the sender contains post.example and the subject has the word permit, unless its "
        "importance is low: set its importance to high and colour it moss; later rules may still act."
    )


def test_a_rule_begins_with_the_facts_of_a_message(app: Page, hand: Mouse) -> None:
    hand.open_first_message()
    facts = app.get_by_label("Facts")
    expect(facts).to_be_visible()
    app.keyboard.press("Enter")  # from the list into the message
    hand.press(facts.get_by_role("button", name=re.compile("^from ")).first)
    hand.press(facts.get_by_role("button", name=re.compile("^kind ")))
    status = facts.get_by_role("status")
    expect(facts.get_by_role("button", name="Make a rule from 2 facts")).to_be_visible()
    expect(status).to_contain_text("already here")
    count = re.findall(r"\d+", status.inner_text())[0]
    hand.make_rule()
    expect(sentence(app)).to_contain_text("When the sender is ")
    expect(app.get_by_test_id("takes")).to_have_text(count)
    hand.add_action("Archive it")
    hand.save()
    saved(app)


def test_a_rule_begins_with_what_three_messages_share(app: Page, hand: Mouse) -> None:
    app.get_by_role("link", name=re.compile("^Gauges")).click()
    hand.select_three()
    shared = app.get_by_label("What they have in common")
    expect(shared).to_contain_text("3 messages selected")
    expect(shared.get_by_role("button", pressed=True).first).to_be_visible()
    expect(shared.get_by_role("status")).to_contain_text("already here")
    hand.make_rule()
    expect(app.get_by_label("Name of the rule")).not_to_have_value("")
    expect(app.get_by_test_id("takes")).to_be_visible()
    assert takes(app) >= 3
    hand.create("Labels", "Level")
    hand.save()
    saved(app)


@pytest.mark.parametrize("kind", [Mouse, Keyboard])
def test_a_conflict_is_told_and_a_new_order_mends_it(app: Page, kind: type[Mouse]) -> None:
    hand = kind(app)
    hand.new_rule()
    hand.value("^Condition 1: Sender", "heronsrest.example")
    hand.press(app.get_by_role("button", name="+ condition"))
    hand.value("^Condition 2: Subject", "permit")
    hand.press(app.get_by_role("button", name="+ condition"))
    hand.choose("Condition 3: what is looked at", "Recipient")
    hand.value("^Condition 3: Recipient", "moorings@")
    hand.create("File in folder", "Heron")
    hand.save()
    saved(app)
    notes = app.get_by_label("Order check")
    expect(notes).to_contain_text("“Mooring permits”, above, wants")
    expect(notes.get_by_role("button", name="Move this rule above it")).to_be_visible()
    name = app.get_by_label("Name of the rule").input_value()
    hand.move_up(name, "Mooring permits")
    expect(notes).to_have_count(0)
    line = app.get_by_label("Rules from top to bottom").get_by_role("link")
    names = [text.split("\n")[0] for text in line.all_inner_texts()]
    assert names.index(name) < names.index("Mooring permits")


def open_rule(app: Page, name: str) -> None:
    app.get_by_role("link", name="Rules", exact=True).click()
    app.get_by_label("Rules from top to bottom").get_by_role("link", name=name).click()
    expect(app.get_by_test_id("takes")).to_be_visible()


def test_while_mail_is_counted_every_number_says_at_least(app: Page) -> None:
    held: list[Route] = []
    due = threading.Event()

    def at_a_glance(route: Route) -> None:
        """The whole is held back till it is due; what comes first was counted of a part."""
        if due.is_set():
            route.continue_()
        elif (route.request.post_data_json or {})["patience"] == "whole":
            held.append(route)
        else:
            answer = route.fetch()
            route.fulfill(response=answer, json={**answer.json(), "whole": False})

    app.route("**/api/rehearsal", at_a_glance)
    app.get_by_role("link", name="Rules", exact=True).click()
    app.get_by_label("Rules from top to bottom").get_by_role("link", name="Mooring permits").click()
    beside = app.get_by_title(re.compile("here by itself$"))
    numbers = [app.get_by_test_id("takes"), beside.first, beside.last]
    for locator in numbers:
        expect(locator).to_contain_text(re.compile(r"\d\+"))
    due.set()
    for route in held:
        route.continue_()
    for locator in numbers:
        expect(locator).not_to_contain_text("+")


def test_a_pinned_example_is_kept_checked_and_asked_about(app: Page) -> None:
    open_rule(app, "Mooring permits")
    app.get_by_label("Taken").get_by_role("button").first.click()
    beside = app.get_by_label("The message, beside the rule")
    expect(beside.get_by_role("heading").locator("mark")).to_be_visible()
    beside.get_by_role("button", name="Must be taken").click()
    app.keyboard.press("Control+Enter")
    saved(app)
    app.reload()
    expect(app.get_by_text("1 pinned example is as it must be")).to_be_visible()
    app.get_by_label("Remove condition 2").click()
    app.get_by_label(re.compile("^Condition 1: Recipient")).press("Backspace")
    app.get_by_label(re.compile("^Condition 1: Recipient")).fill("nobody@wendle-lyde.example")
    broken = app.get_by_label("Examples that are broken")
    expect(broken).to_contain_text("must be taken, but is not taken")
    app.keyboard.press("Control+Enter")
    expect(app.get_by_text("A pinned example is no longer as it must be")).to_be_visible()
    app.get_by_role("button", name="Go back").click()
    app.get_by_role("button", name="Discard").click()
    expect(app.get_by_text("1 pinned example is as it must be")).to_be_visible()


def test_what_is_not_saved_survives_and_versions_come_back(app: Page) -> None:
    open_rule(app, "Stoppages")
    app.get_by_role("button", name="+ exception").click()
    app.get_by_label(re.compile("^Unless: Condition 1: Sender")).fill("ivy")
    app.keyboard.press("Enter")
    expect(app.get_by_role("button", name="1 change not saved")).to_be_visible()
    app.get_by_role("link", name="Mail", exact=True).click()
    app.reload()
    open_rule(app, "Gauges and alarms")
    open_rule(app, "Stoppages")
    expect(sentence(app)).to_contain_text("unless the sender contains ivy")
    app.get_by_role("button", name="1 change not saved").click()
    expect(app.get_by_label("Changes not saved")).to_contain_text(
        "Unless: the sender contains ivy; before: nothing"
    )
    app.keyboard.press("Control+Enter")
    saved(app)
    app.get_by_role("button", name="More for this rule").click()
    with app.expect_download() as download:
        app.get_by_role("menuitem", name="Save it as a document").click()
    (kept,) = json.loads(download.value.path().read_text("utf-8"))["rules"]
    assert kept["name"] == "Stoppages"
    app.get_by_role("button", name="More for this rule").click()
    app.get_by_role("menuitem", name="Earlier versions").click()
    app.get_by_label("Earlier versions").get_by_role("button", name="Bring it back").click()
    expect(sentence(app)).not_to_contain_text("unless")
    app.keyboard.press("Control+Enter")
    expect(app.get_by_role("button", name="Save", exact=True)).to_be_disabled()


def test_conditions_are_dragged_into_a_bracket_and_moved_out_by_key(app: Page) -> None:
    open_rule(app, "Mooring permits")
    app.get_by_role("button", name="+ bracket").click()
    app.get_by_label(re.compile("^Bracket 3: Condition 1: Subject")).fill("insurance")
    app.keyboard.press("Enter")
    held = app.get_by_label(re.compile("^Move condition 2:")).bounding_box()
    there = app.get_by_label(re.compile("^Move bracket 3: condition 1")).bounding_box()
    assert held
    assert there
    app.mouse.move(held["x"] + 5, held["y"] + 16)
    app.mouse.down()
    app.mouse.move(there["x"] + 60, there["y"] + 24, steps=20)
    app.mouse.move(there["x"] + 60, there["y"] + 10, steps=5)
    app.mouse.up()
    expect(sentence(app)).to_contain_text("(either ")
    expect(sentence(app)).to_contain_text("the subject has the word permit or licence")
    grip = app.get_by_label(re.compile("^Move bracket 2: condition 1"))
    grip.focus()
    app.keyboard.press("Alt+ArrowUp")
    expect(sentence(app)).not_to_contain_text("(either ")


def test_rules_are_copied_switched_and_deleted_together_and_that_is_undone(app: Page) -> None:
    app.get_by_role("link", name="Rules", exact=True).click()
    line = app.get_by_label("Rules from top to bottom").get_by_role("link")
    expect(line).to_have_count(8)
    app.get_by_label("Filter the line").fill("shop")
    expect(app.get_by_label("Rules that fit").get_by_role("link")).to_have_count(1)
    app.get_by_label("Filter the line").fill("")
    line.nth(0).click(modifiers=["Control"])
    line.nth(2).click(modifiers=["Shift"])
    acts = app.get_by_label("What to do with these rules")
    expect(acts).to_contain_text("3 selected")
    with app.expect_download() as download:
        acts.get_by_role("link", name="Save").click()
    assert len(json.loads(download.value.path().read_text("utf-8"))["rules"]) == 3
    acts.get_by_role("button", name="Delete").click()
    expect(line).to_have_count(5)
    app.keyboard.press("Control+z")
    expect(line).to_have_count(8)


def test_why_tells_each_condition_and_what_would_happen_now(app: Page) -> None:
    app.get_by_role("link", name=re.compile("^Permits")).click()
    app.get_by_label("Messages").get_by_role("link").first.click()
    expect(app.get_by_role("article")).to_be_visible()
    app.keyboard.press("w")
    now = app.get_by_label("If it came in now")
    expect(now).to_contain_text("it goes to Moorings / Permits")
    now.get_by_role("button", name="Mooring permits").click()
    expect(now).to_contain_text("✓ holds")
    expect(now.locator("mark").first).to_be_visible()
    now.get_by_role("button", name=re.compile("^Why not the other")).click()
    fails = [
        int(re.sub(r"\D", "", piece.replace("one", "1")))
        for piece in re.findall(r"(one|\d+) conditions? fails?", now.inner_text())
    ]
    assert len(fails) > 3
    assert fails == sorted(fails)  # the nearest first
    now.get_by_role("button", name="Gauges and alarms").click()
    expect(now).to_contain_text("✗ does not")


def test_a_rule_document_is_looked_at_before_it_is_taken_in(
    app: Page, tmp_path: Path, deliver: Callable[..., Any]
) -> None:
    del deliver
    app.get_by_role("link", name="Setup", exact=True).click()
    app.get_by_role("link", name="Import and export").click()
    with app.expect_download() as download:
        app.get_by_role("link", name="Save the rules as a document").click()
    document = json.loads(download.value.path().read_text("utf-8"))
    document["rules"][0]["stop"] = True
    document["rules"].append({**document["rules"][1], "name": "Another"})
    path = tmp_path / "rules.json"
    path.write_text(json.dumps(document), "utf-8")
    app.locator("input[type=file][accept*=json]").set_input_files(path)
    preview = app.get_by_label("What it would change")
    expect(preview).to_contain_text("1 rule added, 1 changed, 7 as they are")
    expect(preview).to_contain_text("Afterwards no later rule is tried")
    preview.get_by_role("button", name="Take them in").click()
    expect(app.get_by_text("Rule document taken in: 1 added, 1 changed")).to_be_visible()
    document["rules"][0]["when"] = {"all": [{"field": "subjekt"}]}
    path.write_text(json.dumps(document), "utf-8")
    app.locator("input[type=file][accept*=json]").set_input_files(path)
    refused = app.get_by_label("Why it is refused")
    expect(refused).to_contain_text("rules[0].when.all[0].field")
    expect(refused).to_contain_text("unknown field")
