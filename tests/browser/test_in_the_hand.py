"""The main jobs on a telephone, with a thumb: 390 by 844 pixels, by touch."""

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Locator, Page, expect

from mnemic.server import Server
from tests.browser.places import rows

#: WCAG 2.2, 2.5.8 asks for 24; what these jobs are done with has as much as a thumb wants.
THUMB = 40


@pytest.fixture
def app(server: Server, browser: Browser) -> Iterator[Page]:
    context = browser.new_context(
        viewport={"width": 390, "height": 844},
        has_touch=True,
        is_mobile=True,
        timezone_id="UTC",
        locale="en-GB",
    )
    page = context.new_page()
    page.set_default_timeout(10_000)
    page.goto(server.address)
    yield page
    context.close()


def tap(what: Locator) -> None:
    """A tap where there is room for a thumb."""
    what.scroll_into_view_if_needed()
    box = what.bounding_box()
    assert box is not None
    assert box["height"] >= THUMB, what
    what.tap()


def folder(app: Page, name: str) -> None:
    tap(app.get_by_role("button", name="☰ Folders"))
    tap(app.get_by_role("link", name=re.compile(f"^{name}")).first)
    expect(app.get_by_role("heading", name=re.compile(name), level=2)).to_be_visible()


def test_why_is_it_here_put_it_back_and_undo(app: Page) -> None:
    folder(app, "Shop")
    subject = rows(app).first.locator(".subject").inner_text()
    tap(rows(app).first)
    article = app.get_by_role("article")
    expect(article.get_by_role("heading", level=2)).to_be_visible()
    expect(rows(app).first).to_be_hidden()  # the message has taken the place of the list
    tap(article.get_by_role("button", name="Why"))
    expect(app.get_by_label("If it came in now")).to_be_visible()
    tap(article.get_by_role("button", name="Put back"))
    note = app.get_by_role("status").filter(has_text="Undo")
    expect(note).to_be_visible()
    tap(note.get_by_role("button", name="Undo"))
    expect(app.get_by_role("status").filter(has_text="Do it again")).to_be_visible()
    tap(app.get_by_role("button", name="← Shop"))
    expect(rows(app).first).to_contain_text(subject)
    expect(rows(app).first).to_be_focused()


def test_what_was_found_is_read_and_gone_back_to(app: Page) -> None:
    app.get_by_role("combobox", name="Find mail").tap()
    app.keyboard.type("heron")
    app.keyboard.press("Enter")
    expect(rows(app).nth(5)).to_be_visible()
    app.get_by_label("Messages").locator(".rows").evaluate("e => e.scrollTop = 900")
    app.wait_for_timeout(300)
    row = rows(app).filter(visible=True).nth(6)
    number = row.get_attribute("href")
    tap(row)
    expect(app.get_by_role("article")).to_be_visible()
    app.go_back()
    expect(app.get_by_label("Messages").locator(f'a[href="{number}"]')).to_be_in_viewport()


def test_a_rule_is_switched_off(app: Page) -> None:
    tap(app.get_by_role("link", name="Rules", exact=True))
    tap(app.get_by_role("link", name=re.compile("^Supplier offers")))
    expect(app.get_by_label("Name of the rule")).to_have_value("Supplier offers")
    expect(app.get_by_label("Filter the line")).to_be_hidden()  # the line went, once chosen from
    app.get_by_text("On", exact=True).tap()
    expect(app.get_by_role("switch", name="The rule is on")).not_to_be_checked()
    expect(app.get_by_role("status").filter(has_text="Undo")).to_be_visible()


def test_a_rehearsal_is_looked_at_from_its_counts(app: Page) -> None:
    tap(app.get_by_role("link", name="Rules", exact=True))
    tap(app.get_by_role("link", name=re.compile("^Mooring permits")))
    counts = app.get_by_role("button", name=re.compile("^Rehearsal: takes [1-9]"))
    expect(counts).to_be_in_viewport()
    at_foot = app.get_by_test_id("takes-at-foot")
    expect(at_foot).not_to_contain_text("+")  # all of the mail was counted
    count = at_foot.inner_text()
    tap(counts)
    expect(app.get_by_test_id("takes")).to_have_text(count)
    tap(app.get_by_label("Taken").get_by_role("button").first)
    expect(app.get_by_label("The message, beside the rule").locator("mark").first).to_be_visible()
    tap(app.get_by_role("button", name="← All messages"))
    tap(app.get_by_role("button", name="Close: Rehearsal"))
    expect(counts).to_be_focused()


def test_a_rule_is_made_from_a_message(app: Page) -> None:
    tap(rows(app).nth(1))
    tap(app.get_by_role("button", name="Make a rule…"))
    facts = app.get_by_label("Facts")
    facts.get_by_role("button", name=re.compile("^from")).tap()
    tap(facts.get_by_role("button", name="Make a rule from 1 fact"))
    name = app.get_by_label("Name of the rule")
    expect(name).to_have_value(re.compile(r"^From [^@]+$"))  # by the person, not by the address
    expect(app.get_by_test_id("takes-at-foot")).to_have_text(re.compile("[1-9]"))
    place = app.get_by_role("combobox", name="File in folder", exact=True)
    place.scroll_into_view_if_needed()
    place.fill("People")
    app.keyboard.press("Enter")
    app.keyboard.press("Escape")
    tap(app.get_by_role("button", name="Save", exact=True))
    expect(app.get_by_role("status").filter(has_text="Saved “From")).to_be_visible()
