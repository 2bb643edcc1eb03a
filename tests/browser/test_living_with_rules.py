"""Living with rules: jobs 12 to 21 that people come with, with the actions each takes at most.

``test_making_rules`` says what an action is, and has the jobs before these.
"""

import re
from collections.abc import Callable
from datetime import date, timedelta

from playwright.sync_api import Page, expect

from tests.browser.person import Person
from tests.browser.places import condition, folder, look_at, note, rows, rule

# 8: apply it to mail already received.


def test_12_a_catch_up_leaves_what_a_rule_above_takes_and_what_was_sent(
    app: Page, person: Person
) -> None:
    person.key("n")
    look_at(app, 1, "Subject")
    person.type(condition(app, 1, "Subject"), "permit")
    person.pick("File in folder", "All permits")
    expect(app.get_by_label("Taken")).to_contain_text("in Sent, left out of a catch-up")
    button = app.get_by_role("button", name=re.compile("^Save and catch up"))
    tried = app.get_by_role("region", name="Rehearsal", exact=True)
    expect(tried).to_have_attribute("aria-busy", "false")  # what a glance tells is a part
    promised = int(re.findall(r"\d+", button.inner_text())[0])
    person.press(app.get_by_role("button", name="Save", exact=True))
    person.button("More for this rule")
    person.press(app.get_by_role("menuitem", name=re.compile("^Catch up some")))
    pane = app.get_by_label("Catch-up", exact=True)
    expect(pane).to_contain_text(re.compile(r"\d+ are left to Mooring permits, above"))
    expect(pane.get_by_role("button", name=f"Catch up {promised}")).to_be_visible()
    person.press(pane.get_by_text("Take them too"))
    expect(pane.get_by_role("button", name=f"Catch up {promised}")).to_have_count(0)
    person.press(pane.get_by_text("Take them too"))
    person.press(pane.get_by_role("button", name=f"Catch up {promised}"))
    expect(note(app)).to_contain_text(f"Caught up: {promised} moved")
    person.view("Mail")
    person.press(folder(app, "All permits"))
    expect(app.get_by_text(f"{promised} messages, newest first")).to_be_visible()


def test_13_nearly_all_mail_to_the_trash_is_asked_about_with_its_number(
    app: Page, person: Person
) -> None:
    person.key("n")
    person.type(condition(app, 1, "Sender"), "example")  # nearly all senders hold it
    person.action("Move it to the trash")
    person.button("Save and catch up")
    box = app.get_by_role("dialog", name="Move so much of the mail?")
    expect(box).to_contain_text(re.compile(r"\d+ of 1,\d\d\d messages move to the trash"))
    person.press(box.get_by_role("button", name="Go back"))
    expect(app.get_by_text("Not saved yet")).to_be_visible()
    person.view("Mail")
    person.press(folder(app, "Gauges"))
    person.press(rows(app).first, modifiers=["Control"])
    person.key("Control+a")
    person.key("Delete")
    expect(box).to_contain_text(re.compile(r"\d+ of 1,\d\d\d messages move to the trash"))
    person.press(box.get_by_role("button", name="Go back"))
    expect(box).to_have_count(0)  # it fades, and a second one is not to be mistaken for it
    person.key("Delete")
    person.press(box.get_by_role("button", name="Move them"))
    expect(note(app)).to_contain_text("messages moved to the trash")
    person.key("Control+z")
    expect(rows(app).first).to_be_visible()
    folder(app, "Gauges").hover()
    person.press(app.get_by_role("button", name="More for Gauges"))
    person.press(app.get_by_role("menuitem", name="Delete folder"))
    expect(box).to_contain_text(re.compile(r"\d+ of 1,\d\d\d messages move to the trash"))
    person.press(box.get_by_role("button", name="Go back"))
    expect(folder(app, "Gauges")).to_be_visible()


# 9: check that it works.


def test_14_a_test_message_and_what_became_of_it(app: Page, person: Person) -> None:
    with person.at_most(4):
        person.key("5")
        person.press(app.get_by_role("link", name="Outside"))
        person.button("A request to an alias")
        person.button("Send it")
        fate = app.get_by_label("Test messages sent")
        expect(fate).to_contain_text("is in Moorings / Permits, by Mooring permits")
    person.press(app.get_by_role("link", name="Outside"))
    app.get_by_label("From anybody").fill("")
    expect(app.get_by_role("button", name="Send it")).to_be_disabled()
    expect(app.get_by_text("Say from whom.")).to_be_visible()
    person.press(fate.get_by_role("link", name="Renewal of permit WL-2207"))
    expect(app.get_by_role("article")).to_contain_text("Filed in Moorings / Permits")


# 10: live with it.


def test_15_why_is_it_here_and_back(app: Page, person: Person) -> None:
    folder(app, "Permits").click()
    subject = rows(app).nth(1).locator(".subject").inner_text()
    with person.at_most(3):
        person.press(rows(app).nth(1))
        expect(app.get_by_role("article")).to_be_visible()
        person.key("w")
        trail = app.get_by_label("Trail", exact=True)
        expect(trail).to_contain_text("by Mooring permits")
        expect(trail.locator("mark").first).to_be_visible()
        person.press(trail.get_by_role("button", name="Put back"))
        expect(note(app)).to_contain_text("1 message put back")
    person.press(folder(app, "Inbox"))
    expect(rows(app).filter(has_text=subject).first).to_contain_text("put here by you")
    person.key("Control+z")
    person.press(folder(app, "Permits"))
    expect(rows(app).filter(has_text=subject).first).to_contain_text("here by Mooring permits")


def test_16_the_undo_key_takes_the_newest_thing_and_says_so(app: Page, person: Person) -> None:
    person.key("n")
    person.type(condition(app, 1, "Sender"), "post.example")
    person.action("Flag it")
    person.button("Save and catch up")
    expect(note(app)).to_contain_text("Caught up:")
    person.button("Close this note")
    undo = app.get_by_role("banner").get_by_role("button", name="Undo")
    expect(undo).to_have_attribute("title", re.compile("^Takes back: Catch-up with “From post"))
    person.key("Control+z")
    expect(note(app)).to_contain_text("Undone: Catch-up with “From post.example”")
    expect(note(app).get_by_role("button", name="Do it again")).to_be_visible()
    expect(undo).to_have_attribute("title", re.compile("^Takes back: Rule “From post"))
    person.key("Control+z")
    expect(note(app)).to_contain_text("Undone: Rule “From post.example” made")
    person.press(note(app).get_by_role("button", name="Do it again"))
    expect(note(app)).to_contain_text("Done again: Rule “From post.example” made")
    expect(note(app).get_by_role("button", name="Undo")).to_be_visible()
    expect(rule(app, "From post.example")).to_be_visible()


def test_17_switched_off_moved_deleted_and_back_it_is_the_same_rule(
    app: Page, person: Person
) -> None:
    person.key("2")
    line = app.get_by_label("Rules from top to bottom").get_by_role("link")
    expect(line).to_have_count(8)
    line.first.press("Alt+ArrowDown")
    expect(line.nth(1)).to_contain_text("Gauges and alarms")
    person.press(line.nth(1))
    work = app.get_by_label("What the rule has done")
    expect(work).to_contain_text("Took")
    took = work.inner_text()
    person.press(app.locator(".el-switch"))
    expect(line.nth(1)).to_contain_text("off")
    person.press(app.locator(".el-switch"))
    expect(line.nth(1)).not_to_contain_text("off")
    person.button("More for this rule")
    person.press(app.get_by_role("menuitem", name="Delete the rule"))
    expect(line).to_have_count(7)
    expect(note(app)).to_contain_text("deleted")  # undo takes what it offers at that moment
    person.key("Control+z")
    expect(line).to_have_count(8)
    person.press(line.nth(1))
    expect(work).to_have_text(re.compile(re.escape(took.split("\n")[0])))


def test_18_a_rule_at_hand_runs_on_what_is_selected_and_asks_before_a_whole_list(
    app: Page, person: Person
) -> None:
    person.key("n")
    person.type(condition(app, 1, "Sender"), "example")
    person.action("Flag it")
    person.type(app.get_by_label("Name of the rule"), "Look again")
    runs = app.get_by_label("When it runs")
    person.press(runs.get_by_text("as mail arrives"))
    person.press(runs.get_by_text("when I ask"))
    person.key("Control+Enter")
    expect(note(app)).to_contain_text("Saved “Look again”")
    person.key("1")
    command = app.get_by_label("At hand").get_by_role("button", name="Look again")
    expect(command).to_be_enabled()
    person.key("h")
    expect(command).to_be_focused()
    person.key("Enter")
    box = app.get_by_role("dialog", name="Run “Look again” on all of Inbox?")
    expect(box).to_contain_text(re.compile(r"Nothing is selected\. Of \d+ messages in Inbox, it"))
    person.press(box.get_by_role("button", name="Go back"))
    person.press(rows(app).nth(1), modifiers=["Control"])
    person.press(rows(app).nth(3), modifiers=["Shift"])
    with person.at_most(1):
        person.press(command)
        expect(note(app)).to_contain_text(re.compile(r"Caught up: [123] marked"))


def test_19_one_kind_of_a_month_is_cleared_at_once(app: Page, person: Person) -> None:
    kinds = app.get_by_label("Kinds of mail here")
    expect(kinds.get_by_role("button", name=re.compile(r"^newsletters \d+"))).to_be_visible()
    expect(rows(app).locator(".kind").first).to_be_visible()
    with person.at_most(5):
        person.press(kinds.get_by_role("button", name=re.compile("^newsletters")))
        person.button("last month")
        expect(app.get_by_role("heading", name="Found")).to_be_visible()
        person.press(rows(app).first, modifiers=["Control"])
        person.key("Control+a")
        person.press(app.get_by_role("button", name="Archive", exact=True))
        expect(note(app)).to_contain_text(re.compile(r"messages? archived"))
    month = (date.today().replace(day=1) - timedelta(days=1)).strftime("%B")
    person.press(folder(app, "Archive"))
    expect(app.get_by_label("Messages")).to_contain_text(month)


def test_20_an_answer_while_away_between_two_dates(
    app: Page, person: Person, deliver: Callable[..., None]
) -> None:
    today = date.today()
    person.key("n")
    for number, test, day in (
        (1, "after", today - timedelta(2)),
        (2, "before", today + timedelta(2)),
    ):
        if number == 2:
            person.press(app.get_by_role("button", name="+ condition"))
        look_at(app, number, "Received")
        box = app.get_by_role("combobox", name=f"Condition {number}: test", exact=True)
        box.locator("xpath=ancestor::div[contains(@class,'el-select__wrapper')]").click()
        app.get_by_role("option", name=test, exact=True).locator("visible=true").click()
        person.type(condition(app, number, "Received"), day.isoformat(), end="Tab")
    person.action("Answer it")
    person.type(app.get_by_label("Text of the answer"), "I am away until Monday.", end="")
    person.key("Control+Enter")
    expect(note(app)).to_contain_text("Saved “")
    for head in (
        b"From: Keeper <keeper@stanmarsh.example>\r\nSubject: Keys",
        b"From: list@stanmarsh.example\r\nSubject: Much\r\nPrecedence: bulk",
    ):
        deliver(
            head + b"\r\n\r\nThe text.",
            "tamsin@wendle-lyde.example",
            sender="keeper@stanmarsh.example",
        )
    person.view("Setup")
    person.press(app.get_by_role("link", name="Outside"))
    expect(app.get_by_role("row", name=re.compile("Reply by .* keeper@stanmarsh"))).to_have_count(1)
    person.key("1")
    person.press(rows(app).filter(has_text="Keys").first)
    expect(rows(app).filter(has_text="Keys").first).to_contain_text("answered by")
    person.press(rows(app).filter(has_text="Much").first)
    expect(app.get_by_role("article").get_by_role("heading", name="Much")).to_be_visible()
    person.key("w")
    trail = app.get_by_label("Trail", exact=True)
    expect(trail).to_contain_text("not answered, because it was sent to many: Precedence: bulk")


def test_21_one_ticked_message_is_as_one_that_is_open(app: Page, person: Person) -> None:
    row = app.get_by_label("Messages").locator(".row").nth(2)
    unread = folder(app, "Inbox").text_content() or ""
    row.hover()
    with person.at_most(2):
        person.press(row.get_by_role("checkbox"))
        expect(app.get_by_role("article")).to_be_visible()
        person.key("m")
        expect(app.get_by_label("The rule as a sentence")).to_be_visible()
    person.key("1")
    expect(folder(app, "Inbox")).to_have_text(unread)  # to tick a message is not to read it
