"""Debian's Chromium on the real app, over a copy of the demo mailbox."""

import re
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from mnemic.api.pages import FRONT_END
from mnemic.demo import load_demo
from mnemic.server import Server
from tests.browser.person import Person
from tests.conftest import running

# Chromium may neither look for updates nor ask for anything else outside.
CHROMIUM_ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


# How long a screen takes to follow says more of a machine that others share than of the program.
expect.set_options(timeout=15_000)


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, Any]:
    return {"executable_path": "/usr/bin/chromium", "args": CHROMIUM_ARGUMENTS}


@pytest.fixture(scope="session")
def browser_context_args() -> dict[str, Any]:
    return {"viewport": {"width": 1280, "height": 800}, "timezone_id": "UTC", "locale": "en-GB"}


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("demo") / "data"
    load_demo(folder / "mnemic.sqlite3")
    return folder


@pytest.fixture
def server(demo_folder: Path, tmp_path: Path) -> Iterator[Server]:
    assert (FRONT_END / "index.html").is_file(), "the front end has not been built: make setup"
    shutil.copytree(demo_folder, tmp_path / "data")
    with running(tmp_path / "data") as started:
        yield started


@pytest.fixture
def app(server: Server, page: Page) -> Iterator[Page]:
    """A page of the running app that must stay without errors and without foreign requests."""
    requests: list[str] = []
    complaints: list[str] = []
    page.on("request", lambda request: requests.append(request.url))
    page.on("pageerror", lambda error: complaints.append(str(error)))
    page.on(
        "console",
        # A conflict (409) is an answer that the page asks its owner about, and what was filled in
        # wrongly (422) is told at its field.
        lambda message: (
            complaints.append(f"{message.text} {message.location['url']}")
            if message.type == "error" and not re.search(r"\b(409|422)\b", message.text)
            else None
        ),
    )
    page.set_default_timeout(15_000)
    page.goto(server.address)
    yield page
    foreign = [url for url in requests if not url.startswith((server.address, "data:", "blob:"))]
    assert (foreign, complaints) == ([], [])


@pytest.fixture
def person(app: Page) -> Person:
    """Whoever works on that page."""
    return Person(app)
