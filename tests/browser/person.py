"""Somebody who works with Mnemic, by mouse and keys, and how many actions it takes."""

import re
from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Locator, Page


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
