"""Insights: pictures that lead to their mail, and rules from what is done by hand."""

import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.places import new_rule


def insights(app: Page) -> None:
    app.keyboard.press("4")
    expect(app.get_by_role("heading", name="Insights", level=1)).to_be_visible()


def number(text: str) -> str:
    """How many messages a band is told to have."""
    digits = re.search(r"([\d,]+) (?:messages?|reached the inbox|taken away)", text)
    assert digits, text
    return digits[1]


def by_mouse(app: Page, band: Locator) -> None:
    band.locator("path").dispatch_event("click")


def by_key(app: Page, band: Locator) -> None:
    """The first band is reached by Tab, the others by arrows."""
    app.locator("svg a[tabindex='0']").focus()
    name = band.get_attribute("aria-label")
    for _ in range(40):
        if app.evaluate("document.activeElement.getAttribute('aria-label')") == name:
            break
        app.keyboard.press("ArrowDown")
    app.keyboard.press("Enter")


@pytest.mark.parametrize("press", [by_mouse, by_key])
@pytest.mark.parametrize("which", [0, 7])
def test_a_band_leads_to_just_its_mail(
    app: Page, press: Callable[[Page, Locator], None], which: int
) -> None:
    insights(app)
    band = app.get_by_label(re.compile("^Bands of mail")).get_by_role("link").nth(which)
    said = band.get_attribute("aria-label") or ""
    press(app, band)
    count = number(said)
    plural = "" if count == "1" else "s"
    expect(
        app.get_by_text(re.compile(rf"^{count} message{plural}(, newest first)?$"))
    ).to_be_visible()


def test_each_picture_has_its_numbers_one_key_away(app: Page) -> None:
    insights(app)
    expect(app.get_by_label(re.compile("^Bands of mail"))).to_be_visible()
    app.keyboard.press("t")
    tables = app.get_by_role("table")
    expect(tables).to_have_count(3)
    went = tables.first.get_by_role("row")
    total = sum(int(cell.replace(",", "")) for cell in went.locator("td.number").all_inner_texts())
    expect(
        app.get_by_text(re.compile(rf"^{total:,} messages in 30 days\. Rules took"))
    ).to_be_visible()
    first = went.nth(1).locator("a")
    count = first.inner_text()
    first.click()
    expect(app.get_by_text(f"{count} messages, newest first")).to_be_visible()
    insights(app)
    app.keyboard.press("t")
    tables.last.get_by_role("link").first.click()  # what lies in the inbox today
    inbox = app.get_by_role("link", name=re.compile(r"^Inbox \d+ unread")).get_attribute("href")
    heading = app.get_by_text(re.compile(r"^[\d,]+ messages, newest first$"))
    lies = heading.inner_text()
    app.goto(app.url.split("/mail")[0] + (inbox or ""))
    expect(heading).to_have_text(lies)
    insights(app)
    app.get_by_text("90 days", exact=True).click()
    expect(app.get_by_text(re.compile("messages in 90 days"))).to_be_visible()
    app.get_by_role("button", name="Where mail went: as a table").click()
    expect(app.get_by_role("table")).to_have_count(1)


def test_what_an_interruption_costs_is_changed_and_switched_off(app: Page) -> None:
    insights(app)
    spared = app.get_by_label("Interruptions spared")
    large = spared.locator(".large")
    before = large.inner_text()
    spared.get_by_label("Minutes that an interruption costs").select_option("4")
    expect(large).not_to_have_text(before)
    spared.get_by_role("button", name="Don’t count this").click()
    expect(large).to_have_count(0)
    spared.get_by_role("button", name="Count the time it spared").click()
    expect(large).to_have_text(before)


def test_each_bar_of_the_hours_opens_its_mail(app: Page) -> None:
    insights(app)
    bars = app.get_by_role("button", name=re.compile("(reached the inbox|taken away)$"))
    bars.first.focus()
    app.keyboard.press("ArrowRight")
    bar = bars.nth(1)
    expect(bar).to_be_focused()
    count = number(bar.get_attribute("aria-label") or "")
    app.keyboard.press("Enter")
    behind = app.get_by_role("region", name="Its mail")
    expect(behind.get_by_role("heading")).to_be_focused()
    expect(behind.get_by_role("listitem")).to_have_count(int(count))
    app.keyboard.press("Escape")
    expect(bar).to_be_focused()
    spared = app.get_by_label("Interruptions spared").get_by_role("button").first
    said = spared.inner_text()
    spared.click()
    expect(behind.get_by_role("status")).to_contain_text(said)
    first = behind.get_by_role("link").first
    subject = first.locator(".subject").inner_text()
    first.click()
    expect(app.get_by_role("article", name=subject)).to_be_visible()


LETTER = b"From: Ferry desk <desk@ferry.example>\r\nTo: tamsin@wendle-lyde.example\r\nSubject: Crossing %d\r\n\r\nhi"


def file_by_hand(app: Page, deliver: Callable[..., None], crossing: int) -> None:
    deliver(LETTER % crossing, "tamsin@wendle-lyde.example")
    rows = app.get_by_label("Messages").get_by_role("link")
    row = rows.filter(has_text=f"Crossing {crossing}")
    row.click()
    app.get_by_role("article").get_by_role("button", name="Move", exact=True).click()
    app.get_by_placeholder("Move to which folder?").fill("Ferry")
    app.keyboard.press("Enter")
    expect(row).to_have_count(0)  # the note of the one before would read the same
    expect(app.get_by_text(re.compile("^1 message moved to Ferry"))).to_be_visible()


def test_after_the_third_time_a_rule_is_offered_once(
    app: Page, deliver: Callable[..., None]
) -> None:
    app.get_by_role("link", name=re.compile(r"^Inbox \d+ unread")).click()
    offered = app.get_by_role("button", name="Make a rule?")
    for crossing in range(5):
        file_by_hand(app, deliver, crossing)
        expect(offered).to_be_visible() if crossing == 2 else expect(offered).to_have_count(0)
    new_rule(app)
    starts = app.get_by_label("To begin with")
    expect(starts).to_contain_text("Usual rules, filled in from your mail")
    expect(starts).to_contain_text("An answer while I am away")


def test_what_was_done_by_hand_comes_by_itself_once_its_rehearsal_was_looked_at(
    app: Page, deliver: Callable[..., None]
) -> None:
    app.get_by_role("link", name=re.compile(r"^Inbox \d+ unread")).click()
    for crossing in range(3):
        file_by_hand(app, deliver, crossing)
    app.get_by_role("button", name="Make a rule?").click()
    expect(app.get_by_label("The rule as a sentence")).to_have_text(
        "When the sender is desk@ferry.example: file it in Ferry; later rules may still act."
    )
    expect(app.get_by_test_id("takes")).to_have_text("3")
    expect(app.get_by_label("Rules from top to bottom")).not_to_contain_text("ferry")
    app.keyboard.press("Control+Enter")
    expect(app.get_by_text("Saved “From desk@ferry.example”")).to_be_visible()
    app.get_by_role("link", name="Mail", exact=True).click()
    app.get_by_role("link", name=re.compile("^Ferry")).click()
    deliver(LETTER % 9, "tamsin@wendle-lyde.example")
    row = app.get_by_label("Messages").get_by_role("link", name=re.compile("Crossing 9"))
    expect(row).to_contain_text("here by From desk@ferry.example")


def test_a_proposal_is_turned_away_and_another_one_looked_at(app: Page) -> None:
    insights(app)
    by_hand = app.get_by_label("You do this by hand")
    meetings = by_hand.get_by_role("listitem").filter(has_text="Meetings")
    expect(meetings).to_contain_text("14 of 15 by hand")
    meetings.get_by_role("link").click()  # the one that was left
    expect(app.get_by_role("article")).to_contain_text("Invitation: site visit")
    app.go_back()
    meetings.get_by_role("button", name="Not this").click()
    expect(meetings).to_have_count(0)
    app.reload()
    expect(by_hand.get_by_role("listitem")).to_have_count(2)
    by_hand.get_by_role("listitem").filter(has_text="Grants").get_by_role(
        "button", name="Look at it"
    ).click()
    expect(app.get_by_test_id("takes")).to_have_text("32")
    expect(app.get_by_label("Rules from top to bottom")).not_to_contain_text("lockandquay")


def test_a_list_that_is_never_opened_is_cleared_and_comes_back(
    app: Page, deliver: Callable[..., None]
) -> None:
    for issue in range(6):
        head = b"From: Bell post <post@bells.example>\r\nList-Id: <bells.example>\r\nList-Unsubscribe: <https://bells.example/stop>\r\n"
        deliver(head + b"Subject: Bells %d\r\n\r\nhi" % issue, "tamsin@wendle-lyde.example")
    insights(app)
    never = app.get_by_label("Never opened")
    expect(never).to_contain_text("Bell post 6 messages since today")
    stop = never.get_by_role("link", name="How to stop it")
    expect(stop).to_have_attribute("href", "https://bells.example/stop")
    never.get_by_role("button", name="Trash all 6").click()
    expect(app.get_by_text("6 messages moved to the trash")).to_be_visible()
    expect(never).to_have_count(0)
    app.get_by_role("button", name=re.compile("^Undo")).first.click()
    expect(never).to_contain_text("Bell post 6 messages")
