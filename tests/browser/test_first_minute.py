"""The first minute of a person who opens an empty Mnemic: a way in, of which nothing has to be done."""

import smtplib
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from mnemic.server import Server
from tests.conftest import running


@pytest.fixture
def empty(tmp_path: Path) -> Iterator[Server]:
    with running(tmp_path / "data") as started:
        yield started


@pytest.fixture
def app(empty: Server, browser: Browser) -> Iterator[Page]:
    context = browser.new_context(timezone_id="Europe/Lisbon", locale="en-GB")
    page = context.new_page()
    page.set_default_timeout(10_000)
    page.goto(empty.address)
    yield page
    context.close()


def send(server: Server, subject: str, *recipients: str) -> None:
    with smtplib.SMTP("127.0.0.1", server.smtp_port) as client:
        letter = (
            f"From: ann@x.example\r\nTo: {', '.join(recipients)}\r\nSubject: {subject}\r\n\r\nhi"
        )
        client.sendmail("ann@x.example", recipients, letter)


def test_each_step_stands_until_it_is_done_or_left_out(empty: Server, app: Page) -> None:
    steps = app.get_by_label("First steps", exact=True)
    headings = steps.get_by_role("heading", level=3)
    expect(headings).to_have_text(["Bring your mail", "Where your days begin"])
    expect(app.get_by_text("Mail that no rule moves comes in here.")).to_be_visible()
    send(empty, "one", "office@y.example", "all@y.example")
    send(empty, "two", "office@y.example", "moorings@y.example")
    expect(headings).to_have_text(
        [
            "Say which addresses are yours",
            "Where your days begin",
            "Make the first rule from your mail",
        ]
    )
    addresses = steps.get_by_label("Addresses that mail came to")
    expect(addresses.get_by_role("checkbox").first).to_have_accessible_name(
        "office@y.example 2 messages"
    )
    addresses.get_by_text("moorings@y.example").click()
    addresses.get_by_text("office@y.example").click()
    steps.get_by_role("button", name="These are mine").click()
    expect(headings).to_have_text(["Where your days begin", "Make the first rule from your mail"])
    steps.get_by_role("button", name="Use Europe/Lisbon").click()
    expect(headings).to_have_text(["Make the first rule from your mail"])
    steps.get_by_role("button", name="Leave it out").click()
    expect(app.get_by_text("Choose a message to read it here.")).to_be_visible()
    app.reload()
    expect(app.get_by_text("Choose a message to read it here.")).to_be_visible()
    app.goto(f"{empty.address}setup/accounts")
    expect(app.get_by_role("row").nth(1)).to_contain_text("office@y.example")
    expect(app.get_by_role("row").nth(1)).to_contain_text("moorings@y.example")
    app.goto(f"{empty.address}setup/keeping")
    expect(app.get_by_text("Europe/Lisbon").first).to_be_visible()
