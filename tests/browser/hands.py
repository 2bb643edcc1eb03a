"""The steps of making rules, each done with the mouse, or with keys alone."""

import re

from playwright.sync_api import Locator, Page, expect

#: Tab never has to be pressed more often than this to come to anything on a view.
MOST_TABS = 120
LITTLE = 12


class Mouse:
    """Does each step with the mouse; only what is text is typed."""

    def __init__(self, page: Page) -> None:
        self.page = page

    def press(self, what: Locator) -> None:
        what.click()

    def view(self, name: str) -> None:
        self.press(self.page.get_by_role("link", name=name, exact=True))

    def new_rule(self) -> None:
        self.view("Rules")
        self.press(self.page.get_by_role("link", name="New rule"))

    def choose(self, label: str, option: str) -> None:
        box = self.page.get_by_role("combobox", name=label, exact=True)
        box.locator("xpath=ancestor::div[contains(@class,'el-select__wrapper')]").click()
        self.page.get_by_role("option", name=option, exact=True).locator("visible=true").click()

    def value(self, label: str, *texts: str) -> None:
        field = self.page.get_by_label(re.compile(label))
        field.click()
        for text in texts:
            field.fill(text)
            field.press("Enter")

    def create(self, label: str, text: str) -> None:
        box = self.page.get_by_role("combobox", name=label, exact=True)
        box.locator("xpath=ancestor::div[contains(@class,'el-select__wrapper')]").click()
        self.page.keyboard.type(text)
        option = self.page.get_by_role("option", name=text.replace("/", " / "))
        option.locator("visible=true").last.click()  # a new one is named as new

    def add_action(self, name: str) -> None:
        self.press(self.page.get_by_role("button", name="+ action"))
        self.press(self.page.get_by_role("menuitem", name=name, exact=True))

    def save(self) -> None:
        self.press(self.page.get_by_role("button", name="Save", exact=True))

    def open_first_message(self) -> None:
        self.page.get_by_label("Messages").get_by_role("link").first.click()

    def select_three(self) -> None:
        rows = self.page.get_by_label("Messages").locator(".row").get_by_role("link")
        for at in range(3):
            rows.nth(at).click(modifiers=["Control"])

    def make_rule(self) -> None:
        self.press(self.page.get_by_role("button", name=re.compile("^Make a rule")))

    def move_up(self, name: str, above: str) -> None:
        line = self.page.get_by_label("Rules from top to bottom")
        line.get_by_role("link", name=re.compile(f"^{re.escape(name)}")).drag_to(
            line.get_by_role("link", name=re.compile(f"^{above}")),
            target_position={"x": 40, "y": 6},
        )


class Keyboard(Mouse):
    """The same with keys alone."""

    def reach(self, what: Locator) -> None:
        # Most often it stands a little before; else once round, from there on.
        for key in ["Shift+Tab"] * LITTLE + ["Tab"] * MOST_TABS:
            if what.evaluate("each => each === document.activeElement"):
                return
            self.page.keyboard.press(key)
        raise AssertionError(f"Tab does not come to {what}")

    def press(self, what: Locator) -> None:
        self.reach(what)
        self.page.keyboard.press("Enter")

    def view(self, name: str) -> None:
        self.page.keyboard.press({"Mail": "1", "Rules": "2", "Setup": "5"}[name])

    def new_rule(self) -> None:
        self.page.keyboard.press("n")

    def choose(self, label: str, option: str) -> None:
        self.reach(self.page.get_by_role("combobox", name=label, exact=True))
        self.page.keyboard.press("Enter")  # opens the list
        listed = self.page.get_by_role("option", name=option, exact=True).locator("visible=true")
        expect(listed).to_be_visible()
        for _ in range(MOST_TABS):
            if "is-hovering" in (listed.get_attribute("class") or ""):
                break
            self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("Enter")

    def value(self, label: str, *texts: str) -> None:
        self.reach(self.page.get_by_label(re.compile(label)))
        for text in texts:
            self.page.keyboard.type(text)
            self.page.keyboard.press("Enter")

    def create(self, label: str, text: str) -> None:
        self.reach(self.page.get_by_role("combobox", name=label, exact=True))
        self.page.keyboard.type(text)
        self.page.keyboard.press("Enter")
        self.page.keyboard.press("Escape")

    def add_action(self, name: str) -> None:
        self.press(self.page.get_by_role("button", name="+ action"))
        wanted = self.page.get_by_role("menuitem", name=name, exact=True)
        expect(self.page.get_by_role("menuitem").locator("visible=true").first).to_be_focused()
        for _ in range(MOST_TABS):
            if wanted.evaluate("each => each === document.activeElement"):
                break
            self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("Enter")

    def save(self) -> None:
        self.page.keyboard.press("Control+Enter")

    def open_first_message(self) -> None:
        expect(self.page.get_by_label("Messages").get_by_role("link").first).to_be_visible()
        self.page.keyboard.press("ArrowDown")

    def select_three(self) -> None:
        self.open_first_message()
        expect(self.page.get_by_role("article")).to_be_visible()
        self.page.keyboard.press("Shift+ArrowDown")
        self.page.keyboard.press("Shift+ArrowDown")

    def make_rule(self) -> None:
        self.page.keyboard.press("m")

    def move_up(self, name: str, above: str) -> None:
        line = self.page.get_by_label("Rules from top to bottom")
        self.reach(line.get_by_role("link").first)
        rule = line.get_by_role("link", name=re.compile(f"^{re.escape(name)}"))
        while not rule.evaluate("each => each === document.activeElement"):
            self.page.keyboard.press("ArrowDown")
        names = [text.split("\n")[0] for text in line.get_by_role("link").all_inner_texts()]
        for _ in range(names.index(name) - names.index(above)):
            self.page.keyboard.press("Alt+ArrowUp")
            expect(rule).to_be_focused()
            self.page.wait_for_timeout(150)
