"""An account on a server: connected by hand, watched, let act, and followed from another device."""

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.stand_in.standing_in import PASSWORD, USER, StandIn, standing_in

LETTER = (
    b"From: Priya Nandakumar <priya@harbour.example>\r\nTo: desk@trust.example\r\n"
    b"Subject: %s\r\nMessage-ID: <%d@harbour.example>\r\n\r\nHello\r\n"
)


@pytest.fixture
def stand_in(tmp_path: Path) -> Iterator[StandIn]:
    with standing_in(tmp_path / "stand-in") as started:
        yield started


def test_connect_watch_let_act_and_follow(app: Page, stand_in: StandIn) -> None:
    device = stand_in.device()
    device.append("INBOX", "(Follow_up)", "", LETTER % (b"Minutes", 1))
    app.goto(re.sub(r"/mail.*", "/setup/servers", app.url))
    app.get_by_role("button", name="+ connect an account").click()
    form = app.get_by_role("form", name="Mail on a server")
    for field, value in (
        ("Called", "Office"),
        ("Address", "desk@trust.example"),
        ("Server", "127.0.0.1"),
        ("User name", USER),
        ("Password", "wrong"),
    ):
        form.get_by_label(field, exact=True).fill(value)
    form.get_by_label("Security").select_option("none")
    form.get_by_label("Port").fill("1")
    submit = form.get_by_role("button", name="Try and connect")
    submit.click()
    expect(form.get_by_text("Nothing answers at 127.0.0.1:1")).to_be_visible()
    form.get_by_label("Port").fill(str(stand_in.ports["imap"]))
    submit.click()
    expect(form.get_by_text("refused the user name or the password")).to_be_visible()
    expect(form.get_by_label("Password")).to_be_focused()
    form.get_by_label("Password").fill(PASSWORD)
    submit.click()
    expect(app.get_by_text(re.compile("^Found .* folders: INBOX 1"))).to_be_visible()
    expect(app.get_by_text("Only watched; in step.")).to_be_visible(timeout=30_000)
    app.get_by_role("button", name="Let rules act").click()
    app.get_by_role("dialog").get_by_role("button", name="Let rules act").click()
    expect(app.get_by_text("Rules act; in step.")).to_be_visible(timeout=30_000)

    app.get_by_role("button", name="Empty its trash: Office").click()
    question = app.get_by_role("dialog")
    expect(question).to_contain_text("on the server, too: none of it yet")
    question.get_by_role("button", name="Empty it").click()
    expect(app.get_by_text("The trash of “Office” is emptied after 30 days")).to_be_visible()

    app.get_by_role("link", name="Mail", exact=True).click()
    places = app.get_by_role("navigation", name="Folders and labels")
    expect(places.get_by_role("button", name="Office")).to_be_visible()
    expect(places.get_by_role("link", name="All inboxes")).to_be_visible()
    places.get_by_role("link", name="Inbox 1 unread").click()
    rows = app.get_by_label("Messages").get_by_role("link")
    expect(rows.filter(has_text="Minutes")).to_be_visible()
    # Moved on another device: the server tells, and Mnemic follows.
    device.select("INBOX")
    device.uid("MOVE", "1", "Archive")
    expect(rows.filter(has_text="Minutes")).to_have_count(0, timeout=30_000)
    device.append("INBOX", "", "", LETTER % (b"Agenda", 2))
    expect(rows.filter(has_text="Agenda")).to_be_visible(timeout=30_000)
    expect(app.get_by_role("banner").get_by_role("status").last).to_contain_text("arrived")
    places.get_by_role("link", name="All inboxes").click()
    expect(rows.filter(has_text="Agenda")).to_contain_text("Inbox, Office · ")
    app.get_by_role("link", name="Setup", exact=True).click()
    app.get_by_role("link", name="Labels", exact=True).click()
    app.get_by_role("button", name="Make it a label: Follow up").click()
    label = app.get_by_role("row").filter(has=app.get_by_label("Name of Follow up"))
    expect(label).to_contain_text("1 message", timeout=30_000)
    expect(app.get_by_role("list", name="Keywords of other programs")).to_have_count(0)
    device.logout()
