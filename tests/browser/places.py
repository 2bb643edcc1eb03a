"""Where things stand on the screen, and how a place of a rule is filled in."""

import re

from playwright.sync_api import Locator, Page, expect


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


def new_rule(app: Page) -> None:
    app.get_by_role("link", name="Rules", exact=True).click()
    app.get_by_role("link", name="New rule").click()
    expect(app.get_by_label("Name of the rule")).to_have_value("")


def choose(app: Page | Locator, label: str | re.Pattern[str], option: str) -> None:
    box = app.get_by_role("combobox", name=label, exact=True)
    box.locator("xpath=ancestor::div[contains(@class,'el-select__wrapper')]").click()
    app.get_by_role("option", name=option, exact=True).click()


def fill_place(app: Page, box: str, text: str) -> None:
    app.get_by_role("combobox", name=box, exact=True).fill(text)
    app.keyboard.press("Enter")
    app.keyboard.press("Escape")


def note(app: Page) -> Locator:
    return app.get_by_role("banner").get_by_role("status").first


def sentence(app: Page) -> Locator:
    return app.get_by_label("The rule as a sentence")


def takes(app: Page) -> int:
    expect(app.get_by_test_id("takes")).not_to_contain_text("+")  # all of the mail was counted
    return int(app.get_by_test_id("takes").inner_text().replace(",", ""))
