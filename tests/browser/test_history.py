"""Catch-up and history as a person sees them: told, followed, undone whole, in part, and again."""

import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from mnemic.jobs.catch_up import running as catch_up
from tests.browser.places import choose, fill_place, new_rule


def caught_up(app: Page) -> None:
    new_rule(app)
    app.get_by_label(re.compile("^Condition 1: Sender")).fill("post.example")
    app.keyboard.press("Enter")
    fill_place(app, "File in folder", "Post")
    app.get_by_role("button", name=re.compile("^Save and catch up")).click()
    expect(app.get_by_text(re.compile(r"Caught up: \d+ moved"))).to_be_visible()


def in_post(app: Page) -> int:
    app.get_by_role("link", name="Mail", exact=True).click()
    app.get_by_role("link", name=re.compile("^Post")).click()
    headings = app.get_by_text(re.compile(r"messages?, newest first|Nothing here"))
    expect(headings.first).to_be_visible()
    count = re.match(r"[\d,]+", headings.first.inner_text())
    return int(count[0].replace(",", "")) if count else 0


def test_a_catch_up_is_undone_in_part_and_whole(app: Page) -> None:
    caught_up(app)
    moved = in_post(app)
    assert moved > 50
    app.keyboard.press("3")
    today = app.get_by_label("Today")
    run = today.get_by_role("listitem").filter(has_text="Catch-up with").first
    expect(run).to_contain_text(f"{moved} messages")
    run.get_by_role("button", name=re.compile("^Catch-up with")).click()
    one = run.get_by_label("Messages of this run").get_by_role("button", name="Undo for").first
    one.click()
    expect(today).to_contain_text("Undone in part: Catch-up with")
    assert in_post(app) == moved - 1
    app.keyboard.press("3")
    run = today.get_by_role("listitem").filter(has_text="Catch-up with").last
    run.get_by_role("button", name=re.compile("^Undo: ")).click()
    expect(app.get_by_text("1 changed since, left alone")).to_be_visible()
    expect(run).to_contain_text("undone")
    again = today.get_by_role("listitem").filter(has_text="Undone: Catch-up").first
    again.get_by_role("button", name="Do it again").click()
    expect(today).to_contain_text("Done again")
    assert in_post(app) == moved - 1


def test_a_catch_up_is_followed_stopped_half_way_and_undone(
    app: Page, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(catch_up, "_BATCH", 2)
    new_rule(app)
    app.get_by_label(re.compile("^Condition 1: Sender")).fill("example")
    app.keyboard.press("Enter")
    fill_place(app, "File in folder", "Everything")
    app.get_by_role("button", name=re.compile(r"^Save and catch up [\d,]+$")).click()
    app.get_by_role("button", name="Move them").click()  # it is much of the mail
    progress = app.get_by_role("banner").locator(".progress")
    expect(progress).to_contain_text(re.compile(r"\d+ of 1,\d+, about \d+ seconds left"))
    app.get_by_role("link", name="Mail", exact=True).click()  # the screen works meanwhile
    expect(app.get_by_role("link", name=re.compile("^Everything"))).to_be_visible()
    app.keyboard.press("3")
    goes_on = app.get_by_label("Today").get_by_role("listitem").filter(has_text="Catch-up with")
    expect(goes_on).to_contain_text(re.compile(r"\d+ of 1,\d+, about \d+ seconds left"))
    expect(goes_on.get_by_role("button", name="Undo")).to_have_count(0)
    bar = app.get_by_role("banner").bounding_box()
    assert bar is not None
    assert bar["width"] == 1280  # nothing is pushed out of sight
    goes_on.get_by_role("button", name="Stop").click()
    expect(app.get_by_text(re.compile(r"Stopped\. Caught up: \d+ moved"))).to_be_visible()
    stopped = app.get_by_label("Today").get_by_role("listitem").filter(has_text="stopped half way")
    run = stopped.last  # the first one to be told of it, below what undid it
    run.get_by_role("button", name=re.compile("^Undo: ")).click()
    expect(run).to_contain_text("undone")
    app.get_by_role("link", name="Mail", exact=True).click()
    app.get_by_role("link", name=re.compile("^Everything")).click()
    expect(app.get_by_text("Nothing here").first).to_be_visible()


def test_mail_that_a_search_found_is_caught_up_by_rules_chosen_in_mail(
    app: Page, deliver: Callable[..., None]
) -> None:
    app.get_by_role("combobox", name="Find mail").fill("from:post.example ")
    expect(app.get_by_text("Make a rule from this search")).to_be_visible()
    app.get_by_role("button", name="Catch up …").click()
    pane = app.get_by_label("Catch-up", exact=True)
    expect(pane.get_by_role("form")).to_contain_text("all of Found")
    pane.get_by_role("button", name="none").click()
    expect(pane).to_contain_text("Choose the rules to apply")
    deliver(b"From: a@post.example\r\nSubject: late\r\n\r\nhi\r\n", "tamsin@wendle-lyde.example")
    expect(app.get_by_role("banner").get_by_role("status").last).to_contain_text("1 arrived")
    expect(app.get_by_label("Messages")).to_contain_text("late")
    expect(pane).to_contain_text("Choose the rules to apply")  # what was chosen stays
    pane.get_by_role("button", name="all that are on").click()
    status = pane.get_by_role("status")
    expect(status).to_contain_text("Nothing has happened yet")
    expect(status).to_have_attribute("aria-busy", "false")  # what stood there before is gone
    saying = status.inner_text()
    choose(pane, "Mail", "in Moorings")
    pane.get_by_text("and those below it").click()
    expect(status).to_contain_text("Of 0 messages")
    pane.get_by_text("and those below it").click()
    expect(status).not_to_contain_text("Of 0 messages")
    choose(pane, "Mail", "that a search finds")
    pane.get_by_label("Search for the mail").fill("from:post.example")
    expect(status).to_have_text(saying)
    pane.get_by_role("button", name="← Back to the mail").click()
    expect(pane).to_be_hidden()


def test_a_rule_whose_work_is_put_back_again_and_again_is_hinted_at(app: Page) -> None:
    app.get_by_role("link", name="Permits").first.click()
    rows = app.get_by_label("Messages").locator(".row").get_by_role("link")
    subjects = []
    for _ in range(3):
        rows.first.click()
        article = app.get_by_role("article")
        expect(article).to_be_visible()
        subjects.append(article.get_by_role("heading").first.inner_text())
        first = rows.first.get_attribute("href") or ""
        app.get_by_label("Trail", exact=True).get_by_role("button", name="Put back").click()
        expect(app.get_by_text("1 message put back")).to_be_visible()
        expect(rows.first).not_to_have_attribute("href", first)  # it has gone from the list
        app.get_by_role("button", name="Close this note").click()
    app.get_by_role("link", name="Rules", exact=True).click()
    rule = app.get_by_role("link", name=re.compile("^Mooring permits"))
    expect(rule).to_contain_text("Put back 3 times in 30 days")
    rule.click()
    evidence = app.get_by_label("Order check")
    for subject in subjects:
        expect(evidence).to_contain_text(subject)
    expect(app.get_by_label("What the rule has done")).to_contain_text("Put back by hand: 3")
