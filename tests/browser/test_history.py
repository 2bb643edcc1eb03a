"""Catch-up and history as a person sees them: told, followed, undone whole, in part, and again."""

import re

from playwright.sync_api import Page, expect

from tests.browser.test_main_job import fill_place, new_rule


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
    told = app.get_by_text(re.compile(r"messages?, newest first|Nothing here"))
    expect(told.first).to_be_visible()
    found = re.match(r"[\d,]+", told.first.inner_text())
    return int(found[0].replace(",", "")) if found else 0


def test_a_catch_up_is_undone_in_part_and_whole(app: Page) -> None:
    caught_up(app)
    moved = in_post(app)
    assert moved > 50
    app.keyboard.press("3")
    today = app.get_by_label("Today")
    run = today.get_by_role("listitem").filter(has_text="Catch-up with").first
    expect(run).to_contain_text(f"{moved} messages")
    run.get_by_role("button", name="Catch-up with").click()
    one = run.get_by_label("Messages of this run").get_by_role("button", name="Undo for").first
    one.click()
    expect(today).to_contain_text("Undone in part: Catch-up with")
    assert in_post(app) == moved - 1
    app.keyboard.press("3")
    run = today.get_by_role("listitem").filter(has_text="Catch-up with").last
    run.get_by_role("button", name="Undo", exact=True).click()
    expect(app.get_by_text("1 changed since, left alone")).to_be_visible()
    expect(run).to_contain_text("undone")
    again = today.get_by_role("listitem").filter(has_text="Undone: Catch-up").first
    again.get_by_role("button", name="Do it again").click()
    expect(today).to_contain_text("Done again")
    assert in_post(app) == moved - 1


def test_some_of_the_mail_is_caught_up_as_it_was_told_beforehand(app: Page) -> None:
    caught_up(app)
    app.keyboard.press("Control+z")  # nothing by hand but the rule: the rule goes
    app.keyboard.press("2")
    app.get_by_role("button", name="More for the line").click()
    app.get_by_role("menuitem", name=re.compile("^Catch up with all")).click()
    pane = app.get_by_label("Catch-up", exact=True)
    told = pane.get_by_role("status")
    expect(told).to_contain_text("Nothing has happened yet")
    everything = told.inner_text()
    pane.get_by_label("Mail in").select_option(label="Inbox")
    expect(told).not_to_have_text(everything)
    run = pane.get_by_role("button", name=re.compile(r"^Catch up \d+"))
    expect(run).to_be_visible()


def test_a_rule_at_hand_runs_on_a_selection_when_asked(app: Page) -> None:
    new_rule(app)
    app.get_by_label(re.compile("^Condition 1: Sender")).fill("example")
    app.keyboard.press("Enter")
    app.get_by_role("button", name="+ action").click()
    app.get_by_role("menuitem", name="Flag it", exact=True).click()
    app.get_by_label("Name of the rule").fill("Look again")
    runs = app.get_by_label("When it runs")
    runs.get_by_text("as mail arrives").click()
    runs.get_by_text("when I ask").click()
    expect(app.get_by_label("The rule as a sentence")).to_contain_text(
        "On mail that I choose, when"
    )
    app.keyboard.press("Control+Enter")
    expect(app.get_by_text("Saved “Look again”")).to_be_visible()
    app.keyboard.press("1")
    rows = app.get_by_label("Messages").locator(".row").get_by_role("link")
    rows.nth(1).click(modifiers=["Control"])
    rows.nth(3).click(modifiers=["Shift"])
    app.keyboard.press("h")
    command = app.get_by_label("At hand").get_by_role("button", name="Look again")
    expect(command).to_be_focused()
    app.keyboard.press("Enter")
    expect(app.get_by_text("Caught up: 3 marked")).to_be_visible()
    app.get_by_role("button", name="Undo").click()
    expect(app.get_by_text("Undone: Catch-up with “Look again”")).to_be_visible()
