"""Take docs/screenshots anew: one picture of each main view, from a demo made for it."""

import re
import sys
import tempfile
import threading
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TypeAlias

from playwright.sync_api import Browser, Page, ViewportSize, sync_playwright

from mnemic.demo import load_demo
from mnemic.demo.on_a_server import on_a_server
from mnemic.post.imap.other_device import Elsewhere
from mnemic.server import Server, secret_key
from mnemic.settings import Settings
from mnemic.store import Database

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.browser.conftest import CHROMIUM_ARGUMENTS

Views: TypeAlias = Mapping[str, Callable[[Page], None]]

DESK: ViewportSize = {"width": 1280, "height": 800}
HANDHELD: ViewportSize = {"width": 390, "height": 844}
SHOTS = Path(__file__).parents[1] / "docs" / "screenshots"


def mail(page: Page) -> None:
    """A filed message and its facts."""
    page.get_by_role("link", name="Permits").first.click()
    page.get_by_label("Messages").get_by_role("link").nth(1).click()
    facts = page.get_by_label("Facts")
    facts.get_by_role("button", name="came to").first.click()
    facts.get_by_role("button", name=re.compile("^(permit|licence)$", re.IGNORECASE)).click()
    facts.get_by_text("already here").wait_for()


def find(page: Page) -> None:
    """A search, and a selection of what it found."""
    page.get_by_role("combobox", name="Find mail").fill("heron -kind:newsletter ")
    page.get_by_text("Make a rule from this search").wait_for()
    rows = page.get_by_label("Messages").locator(".row").get_by_role("link")
    rows.nth(0).click()
    page.wait_for_timeout(400)
    rows.nth(2).click(modifiers=["Control"])
    rows.nth(4).click(modifiers=["Shift"])


def setup(page: Page) -> None:
    """A test message from outside."""
    page.get_by_role("link", name="Setup", exact=True).click()
    page.get_by_role("link", name="Outside").click()
    page.get_by_role("button", name="A newsletter").click()


def rules(page: Page) -> None:
    """A rule beside its rehearsal, with a bracket and an exception that are not saved yet."""
    page.get_by_role("link", name="Rules", exact=True).click()
    page.get_by_role("link", name="Mooring permits").click()
    page.get_by_test_id("takes").wait_for()
    page.get_by_role("button", name="+ bracket").click()
    page.get_by_label(re.compile("^Bracket 3: Condition 1: Subject")).fill("renewal")
    page.keyboard.press("Enter")
    page.get_by_label(re.compile("^Move condition 2:")).focus()
    page.keyboard.press("Alt+ArrowDown")
    page.get_by_role("button", name="+ exception").click()
    page.get_by_label(re.compile("^Unless: Condition 1: Sender")).fill("achterberg")
    page.keyboard.press("Enter")
    page.get_by_label("Taken").get_by_role("button").nth(2).click()
    page.get_by_role("button", name="Must be taken").click()
    page.get_by_role("button", name="← All messages").click()


def order(page: Page) -> None:
    """Two rules that want the same mail, and what mends it."""
    page.keyboard.press("n")
    page.get_by_label(re.compile("^Condition 1: Sender")).fill("heronsrest.example")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="+ condition").click()
    page.get_by_label(re.compile("^Condition 2: Subject")).fill("permit")
    page.keyboard.press("Enter")
    page.get_by_role("combobox", name="File in folder", exact=True).fill("Heron’s Rest")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    page.keyboard.press("Control+Enter")
    page.get_by_label("Order check").wait_for()


def shared(page: Page) -> None:
    """What several messages have in common, as the beginning of a rule."""
    page.get_by_role("link", name=re.compile("^Volunteers")).click()
    rows = page.get_by_label("Messages").locator(".row").get_by_role("link")
    rows.nth(0).click(modifiers=["Control"])
    rows.nth(2).click(modifiers=["Shift"])
    page.get_by_label("What they have in common").get_by_text("already here").wait_for()


def why(page: Page) -> None:
    """Why a message is where it is, and what would become of it now."""
    page.get_by_role("link", name="Permits").first.click()
    page.get_by_label("Messages").get_by_role("link").nth(2).click()
    page.get_by_role("article").wait_for()
    page.keyboard.press("w")
    now = page.get_by_label("If it came in now")
    now.get_by_role("button", name="Mooring permits").click()


def phone(page: Page) -> None:
    """Why a message is where it is, on a telephone."""
    page.get_by_role("button", name="☰ Folders").click()
    page.get_by_role("link", name=re.compile("^Permits")).first.click()
    page.get_by_label("Messages").locator(".row").get_by_role("link").nth(1).click()
    page.get_by_role("button", name="Why", exact=True).click()
    page.get_by_label("If it came in now").wait_for()


def history(page: Page) -> None:
    """A catch-up that was done, opened to its messages."""
    page.keyboard.press("n")
    page.get_by_label(re.compile("^Condition 1: Sender")).fill("post.example")
    page.keyboard.press("Enter")
    page.get_by_role("combobox", name="File in folder", exact=True).fill("Post")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    page.get_by_role("button", name=re.compile("^Save and catch up")).click()
    page.get_by_text("Caught up:").wait_for()
    page.keyboard.press("3")
    page.get_by_role("button", name="Catch-up with").first.click()
    page.get_by_label("Messages of this run").wait_for()


def catch_up(page: Page) -> None:
    """A catch-up with all rules, told beforehand, on the mail of a folder."""
    page.get_by_role("link", name=re.compile("^Offers")).click()
    page.get_by_text("messages, newest first").wait_for()
    page.get_by_role("button", name="Catch up …").click()
    pane = page.get_by_label("Catch-up", exact=True)
    mail_box = pane.get_by_role("combobox", name="Mail", exact=True)
    mail_box.locator("xpath=ancestor::div[contains(@class,'el-select__wrapper')]").click()
    pane.get_by_role("option", name="all but Sent, Junk and Trash").click()
    pane.get_by_text("Nothing has happened yet").wait_for()


def insights(page: Page) -> None:
    """Where the mail of 90 days went, and what is proposed."""
    page.keyboard.press("4")
    page.get_by_text("90 days", exact=True).click()
    page.get_by_text(re.compile("messages in 90 days")).wait_for()
    page.get_by_label("You do this by hand").get_by_role("listitem").first.wait_for()


def rules_as_sieve(page: Page) -> None:
    """The line as a script, with the grade of every rule."""
    page.get_by_role("link", name="Setup", exact=True).click()
    page.get_by_role("link", name="Import and export").click()
    page.get_by_role("button", name="Look at the script…").click()
    page.get_by_label("The rules as a script").wait_for()
    page.mouse.move(640, 400)
    page.mouse.wheel(0, 2_000)


VIEWS = {
    "mail": mail,
    "find": find,
    "rules": rules,
    "dark": rules,
    "order": order,
    "shared": shared,
    "history": history,
    "insights": insights,
    "catch-up": catch_up,
    "why": why,
    "phone": phone,
    "setup": setup,
    "sieve": rules_as_sieve,
}


def on_the_server(page: Page) -> None:
    """What lies on the simulated server, as another device sees it."""
    page.get_by_role("link", name="Setup", exact=True).click()
    page.get_by_role("link", name="Outside").click()
    page.get_by_role("list", name="Folders on the server").scroll_into_view_if_needed()
    page.mouse.wheel(0, 300)


def rules_there(page: Page) -> None:
    """What the account's server could run of the line, told before it is handed over."""
    page.get_by_role("link", name="Setup", exact=True).click()
    page.get_by_role("link", name="Mail on a server").click()
    page.get_by_role("button", name="Let the server run them").click()
    page.get_by_role("button", name="Look", exact=True).click()
    page.get_by_role("button", name=re.compile("^Hand .* over$")).wait_for()
    page.mouse.move(640, 400)
    page.mouse.wheel(0, 2_000)


def take(browser: Browser, settings: Settings, views: Views, elsewhere: Elsewhere | None) -> None:
    """Serve the demo, maybe with a server beside it, and take pictures of these views."""
    with Server(settings, elsewhere) as server:
        thread = threading.Thread(target=server.serve)
        thread.start()
        for name, show in views.items():
            held = name == "phone"
            page = browser.new_page(
                viewport=HANDHELD if held else DESK,
                has_touch=held,
                is_mobile=held,
                locale="en-GB",
                color_scheme="dark" if name == "dark" else "light",
            )
            page.goto(server.address)
            show(page)
            page.mouse.move(640, 780)
            page.wait_for_timeout(800)
            page.screenshot(path=SHOTS / f"{name}.png")
            page.close()
        server.stop()
        thread.join()


def main() -> None:
    """Make a demo, serve it, and take the pictures."""
    SHOTS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        settings = Settings(port=0, smtp_port=0, data=Path(folder) / "data")
        load_demo(settings.database)
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=CHROMIUM_ARGUMENTS
        )
        take(browser, settings, VIEWS, None)
        database = Database(settings.database)
        folder_there = settings.data / "stand-in"
        views = {"server": on_the_server, "rules-there": rules_there}
        with on_a_server(folder_there, database, secret_key(settings)) as elsewhere:
            database.close()
            take(browser, settings, views, elsewhere)
        browser.close()


if __name__ == "__main__":
    main()
