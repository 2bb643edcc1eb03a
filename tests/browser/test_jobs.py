"""The jobs that people come with, each to its end that is seen, with the actions it takes at most.

An action is a click, a key, or a text that is typed with what ends it. The jobs are those of the
ten steps in which people make rules and live with them.
"""

import re
import smtplib
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, timedelta

import pytest
from playwright.sync_api import Locator, Page, expect

from mnemic.server import Server
from tests.browser.test_main_job import takes


class Person:
    """Does things on a page as a person does, and counts them."""

    def __init__(self, page: Page) -> None:
        self.page, self.actions = page, 0

    def press(self, what: Locator, **how: object) -> None:
        self.actions += 1
        what.click(**how)  # type: ignore[arg-type] # options of a click

    def button(self, name: str) -> None:
        self.press(self.page.get_by_role("button", name=re.compile(f"^{name}")).first)

    def key(self, name: str) -> None:
        self.actions += 1
        self.page.keyboard.press(name)

    def type(self, where: Locator, text: str, end: str = "Enter") -> None:
        self.actions += 1
        where.fill(text)
        if end:
            self.page.keyboard.press(end)

    def view(self, name: str) -> None:
        self.press(self.page.get_by_role("link", name=name, exact=True))

    def pick(self, box: str, text: str) -> None:
        """Type into a list and take what stands first."""
        self.type(self.page.get_by_role("combobox", name=box, exact=True), text)

    def action(self, name: str) -> None:
        self.button(re.escape("+ action"))
        self.press(self.page.get_by_role("menuitem", name=name, exact=True))

    @contextmanager
    def at_most(self, actions: int) -> Iterator[None]:
        before = self.actions
        yield
        assert self.actions - before <= actions


@pytest.fixture
def person(app: Page) -> Person:
    return Person(app)


def rows(app: Page) -> Locator:
    return app.get_by_label("Messages").locator(".row").get_by_role("link")


def folder(app: Page, name: str) -> Locator:
    places = app.get_by_role("navigation", name="Folders and labels")
    return places.get_by_role("link", name=re.compile(f"^{name}"))


def rule(app: Page, name: str) -> Locator:
    return app.get_by_label("Rules from top to bottom").get_by_role(
        "link", name=re.compile(f"^{name}")
    )


def condition(app: Page, number: int, about: str = "") -> Locator:
    return app.get_by_label(re.compile(f"^Condition {number}: {about}"))


def look_at(app: Page, number: int, subject: str) -> None:
    box = app.get_by_role("combobox", name=f"Condition {number}: what is looked at", exact=True)
    box.fill(subject)
    app.get_by_role("option", name=subject, exact=True).locator("visible=true").first.click()


def note(app: Page) -> Locator:
    return app.get_by_role("banner").get_by_role("status").first


def sentence(app: Page) -> Locator:
    return app.get_by_label("The rule as a sentence")


def send(server: Server, head: str, to: str = "tamsin@wendle-lyde.example") -> None:
    with smtplib.SMTP("127.0.0.1", server.smtp_port, timeout=10) as smtp:
        smtp.sendmail("keeper@stanmarsh.example", [to], f"{head}\r\n\r\nThe text.\r\n".encode())


def trash_rule(app: Page, person: Person) -> None:
    """A rule that takes nearly all mail away: its sender holds "example"."""
    person.key("n")
    person.type(condition(app, 1, "Sender"), "example")
    person.action("Move it to the trash")


# 1, 2: notice, and prepare the place.


def test_01_from_a_message_to_a_label_on_the_spot_with_old_mail(app: Page, person: Person) -> None:
    with person.at_most(7):
        person.press(rows(app).filter(has_text="Trustees").first)
        person.press(app.get_by_label("Facts").get_by_role("button", name=re.compile("^domain ")))
        person.key("m")
        person.pick("Labels", "Board")
        # The list does not stay open over what is below it.
        expect(app.get_by_role("option").locator("visible=true")).to_have_count(0)
        person.button("Save and catch up")
        expect(note(app)).to_contain_text(re.compile(r"Caught up: \d+ labelled"))
    labelled = int(re.findall(r"(\d+) labelled", note(app).inner_text())[0])
    person.view("Mail")
    person.press(folder(app, "Board"))
    expect(app.get_by_text(f"{labelled} messages, newest first")).to_be_visible()
    expect(rows(app).first).to_contain_text("labelled Board by")


def test_02_a_folder_that_is_missing_is_named_as_new_and_made_without_losing_the_rule(
    app: Page, person: Person
) -> None:
    person.key("n")
    person.type(condition(app, 1, "Sender"), "heronsrest.example")
    with person.at_most(2):
        box = app.get_by_role("combobox", name="File in folder", exact=True)
        person.type(box, "Inbox / Moorings", end="")
        expect(app.get_by_role("option", name="New folder: Inbox / Moorings")).to_be_visible()
        person.key("Enter")
    expect(app.get_by_text("New folder; it is made when you save.")).to_be_visible()
    person.type(box, "permits", end="")  # one that is there is no new one
    expect(app.get_by_role("option", name="Moorings / Permits")).to_be_visible()
    expect(app.get_by_role("option", name="New folder: permits")).to_be_visible()
    person.key("Escape")
    person.key("Control+Enter")
    expect(note(app)).to_contain_text("Saved “From heronsrest.example”")
    person.view("Mail")
    places = app.get_by_role("navigation", name="Folders and labels").get_by_role("link")
    expect(places.nth(1)).to_contain_text("Moorings")  # right below the inbox


def test_03_a_folder_made_in_the_wrong_place_is_moved_and_back(app: Page, person: Person) -> None:
    folder(app, "Volunteers").hover()
    with person.at_most(4):
        person.press(app.get_by_role("button", name="More for Volunteers"))
        person.press(app.get_by_role("menuitem", name="Move"))
        person.type(app.get_by_role("combobox", name=re.compile("Move")), "Events")
        expect(note(app)).to_contain_text("Volunteers moved into Events")
        person.press(note(app).get_by_role("button", name="Undo"))
    expect(note(app)).to_contain_text("Undone: Folder “Volunteers” moved to “Events/Volunteers”")


# 3, 4: say which mail, and how conditions combine.


def test_04_an_alias_among_several_recipients_and_a_person_by_name(
    app: Page, person: Person, server: Server
) -> None:
    send(server, "Subject: Three\r\nTo: a@x.example, works@wendle-lyde.example, b@x.example")
    person.key("n")
    condition(app, 1, "Sender").click()  # people are offered, the most frequent first
    expect(
        app.get_by_role("option", name=re.compile("@.*\\d")).locator("visible=true").first
    ).to_be_visible()
    look_at(app, 1, "Recipient")
    person.type(condition(app, 1, "Recipient"), "works@", end="")
    expect(
        app.get_by_text("works@wendle-lyde.example").locator("visible=true").first
    ).to_be_visible()
    person.key("Enter")
    expect(app.get_by_label("Taken")).to_contain_text("Three")
    # With "is", a whole address is meant: Enter takes the one that is offered.
    look_at(app, 1, "Sender")
    test = app.get_by_role("combobox", name="Condition 1: test", exact=True)
    test.locator("xpath=ancestor::div[contains(@class,'el-select__wrapper')]").click()
    app.get_by_role("option", name="is", exact=True).locator("visible=true").click()
    app.get_by_role("button", name=re.compile("^Take out ")).first.click()
    field = condition(app, 1, "Sender is")
    field.fill("venn")
    offered = app.get_by_role("option", name=re.compile("ottilie@vennboats.example.*Ottilie Venn"))
    expect(offered.locator("visible=true")).to_be_visible()
    person.key("Enter")
    expect(sentence(app)).to_have_text("When the sender is ottilie@vennboats.example.")


def test_05_an_any_that_was_meant_as_all_is_seen_and_mended(app: Page, person: Person) -> None:
    person.key("n")
    look_at(app, 1, "Subject")
    person.type(condition(app, 1, "Subject"), "permit")
    person.press(app.get_by_role("button", name="+ condition"))
    look_at(app, 2, "Has an attachment")
    person.button("all of the conditions")
    expect(sentence(app)).to_contain_text("permit or it has an attachment")
    many = takes(app)
    with person.at_most(3):
        otherwise = app.get_by_role("button", name=re.compile("if all instead of any"))
        few = int(otherwise.inner_text().split()[0])
        assert 0 < few < many  # the mistake, seen before anything happens
        person.press(otherwise)
        expect(app.get_by_test_id("takes")).to_have_text(str(few))
    expect(sentence(app)).to_contain_text("permit and it has an attachment")


def test_06_a_search_with_a_minus_becomes_an_exception(app: Page, person: Person) -> None:
    person.key("f")
    find = app.get_by_role("combobox", name="Find mail")
    for begun in ("befo", "kind:new"):
        person.type(find, begun, end="")
        expect(app.get_by_text("Go on typing. What may stand there:")).to_be_visible()
    expect(app.get_by_text("kind: what kind of mail it is")).to_be_visible()
    person.type(find, "permit -kind:newsletter", end="")
    person.button("Make a rule from this search")
    expect(sentence(app)).to_contain_text("unless it is a newsletter.")


# 5, 6: say what happens, and what comes next.


def test_07_filed_read_important_and_coloured_in_one_rule(app: Page, person: Person) -> None:
    person.key("n")
    with person.at_most(10):
        person.type(condition(app, 1, "Sender"), "millpond.example")
        person.pick("File in folder", "Millpond")
        for action in ("Mark it as read", "Set its importance", "Colour it"):
            person.action(action)
        person.button("Save and catch up")
        expect(note(app)).to_contain_text(re.compile(r"Caught up: \d+ moved, \d+ marked"))
    expect(sentence(app)).to_contain_text(
        "file it in Millpond, mark it as read, set its importance to high and colour it moss"
    )


def test_08_labelled_and_left_in_the_inbox_stays_where_it_is(app: Page, person: Person) -> None:
    person.key("n")
    person.type(condition(app, 1, "Sender"), "bram@wendle-lyde.example")
    expect(app.get_by_text("It does nothing yet")).to_be_visible()
    person.action("Keep it in the inbox")
    expect(app.get_by_text("mail that is here already stays where it is")).to_be_visible()
    expect(app.get_by_label("Taken")).to_contain_text("stays in Archive")
    expect(app.get_by_label("Taken")).not_to_contain_text("→")
    expect(app.get_by_role("button", name="Nothing to catch up")).to_be_disabled()
    person.button("Remove: Keep it in the inbox")
    person.action("Move it to the inbox")
    expect(app.get_by_label("Taken")).to_contain_text("Archive → Inbox")
    expect(app.get_by_role("button", name=re.compile(r"^Save and catch up \d"))).to_be_visible()
    # Whatever was opened on the way, the page as a whole has not moved.
    assert app.evaluate("document.documentElement.scrollHeight <= innerHeight")
    bar = app.get_by_role("banner").bounding_box()
    assert bar is not None
    assert bar["y"] == 0


def test_09_a_sound_is_heard_before_it_is_chosen(app: Page, person: Person) -> None:
    app.evaluate(
        "() => { window.heard = []; const start = OscillatorNode.prototype.start;"
        " OscillatorNode.prototype.start = function (...at)"
        " { window.heard.push(this.frequency.value); return start.apply(this, at) } }"
    )
    person.key("n")
    person.type(condition(app, 1, "Sender"), "millpond.example")
    with person.at_most(5):
        person.action("Make a sound")
        person.button("Hear it")
        app.wait_for_function("window.heard.length === 1")
        box = app.get_by_role("combobox", name="Sound", exact=True)
        person.press(box.locator("xpath=ancestor::div[contains(@class,'el-select__wrapper')]"))
        person.press(app.get_by_role("option", name="bell", exact=True))
        app.wait_for_function("window.heard.length === 3")  # a bell has two notes
    expect(sentence(app)).to_contain_text("tell me with the sound bell")


def test_10_two_rules_want_the_same_and_a_new_order_mends_it(app: Page, person: Person) -> None:
    person.key("n")
    person.type(condition(app, 1, "Sender"), "heronsrest.example")
    person.press(app.get_by_role("button", name="+ condition"))
    person.type(condition(app, 2, "Subject"), "permit")
    person.press(app.get_by_role("button", name="+ condition"))
    look_at(app, 3, "Recipient")
    person.type(condition(app, 3, "Recipient"), "moorings@", end="Tab")
    person.pick("File in folder", "Heron")
    first = app.get_by_label("Taken").get_by_role("button").first
    expect(first).to_contain_text("left to Mooring permits")
    person.key("Control+Enter")
    notes = app.get_by_label("Order check")
    with person.at_most(1):
        expect(notes).to_contain_text("“Mooring permits”, above, wants")
        person.press(notes.get_by_role("button", name="Move this rule above it"))
        expect(notes).to_have_count(0)
    expect(first).to_contain_text("→ Heron")


# 7: read it back, and name it.


def test_11_a_rule_reads_itself_back_and_proposes_a_name_that_is_not_in_the_way(
    app: Page, person: Person
) -> None:
    person.key("n")
    person.type(condition(app, 1, "Sender"), "berths@quay.example")
    name = app.get_by_label("Name of the rule")
    expect(name).to_have_value("From berths@quay.example")
    person.press(name)
    expect(name).to_have_value("")
    expect(name).to_have_attribute("placeholder", "From berths@quay.example")
    app.keyboard.type("Berths for winter")
    expect(name).to_have_value("Berths for winter")
    person.type(name, "", end="Tab")
    expect(name).to_have_value("From berths@quay.example")
    expect(sentence(app)).to_have_text("When the sender contains berths@quay.example.")


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
    told = int(re.findall(r"\d+", button.inner_text())[0])
    person.press(app.get_by_role("button", name="Save", exact=True))
    person.button("More for this rule")
    person.press(app.get_by_role("menuitem", name=re.compile("^Catch up some")))
    pane = app.get_by_label("Catch-up", exact=True)
    expect(pane).to_contain_text(re.compile(r"\d+ are left to Mooring permits, above"))
    expect(pane.get_by_role("button", name=f"Catch up {told}")).to_be_visible()
    person.press(pane.get_by_text("Take them too"))
    expect(pane.get_by_role("button", name=f"Catch up {told}")).to_have_count(0)
    person.press(pane.get_by_text("Take them too"))
    person.press(pane.get_by_role("button", name=f"Catch up {told}"))
    expect(note(app)).to_contain_text(f"Caught up: {told} moved")
    person.view("Mail")
    person.press(folder(app, "All permits"))
    expect(app.get_by_text(f"{told} messages, newest first")).to_be_visible()


def test_13_nearly_all_mail_to_the_trash_is_asked_about_with_its_number(
    app: Page, person: Person
) -> None:
    trash_rule(app, person)
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
    app: Page, person: Person, server: Server
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
    send(server, "From: Keeper <keeper@stanmarsh.example>\r\nSubject: Keys")
    send(server, "From: list@stanmarsh.example\r\nSubject: Much\r\nPrecedence: bulk")
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
