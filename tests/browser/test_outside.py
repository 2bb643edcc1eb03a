"""Outside: the server as another device sees it, and Mnemic that acts there and follows."""

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from mnemic.server import Server
from tests.browser.demo_on_a_server import demo_on_a_server
from tests.browser.test_any_screen import (
    OFF_ITS_PLACE,
    an_inbox,
    broken_rules_of_axe,
    press,
    setup,
)
from tests.browser.test_mail_on_a_server import LETTER
from tests.conftest import running
from tests.stand_in.standing_in import StandIn, standing_in

#: A pass is made a second after something happened, and takes its time where the machine is busy.
SOON = 30_000


@pytest.fixture
def stand_in(tmp_path: Path) -> Iterator[StandIn]:
    with standing_in(tmp_path / "stand-in") as started:
        yield started


@pytest.fixture
def server(demo_folder: Path, tmp_path: Path, stand_in: StandIn) -> Iterator[Server]:
    """The demo, with its account on the stand-in, acting."""
    elsewhere = demo_on_a_server(demo_folder, tmp_path / "data", stand_in)
    with running(tmp_path / "data", elsewhere) as started:
        yield started


def test_what_rules_do_is_done_there_and_what_is_done_there_is_followed(
    app: Page, stand_in: StandIn, tmp_path: Path
) -> None:
    app.goto(re.sub(r"/mail.*", "/setup/outside", app.url))
    for ready in ("Somebody unknown, urgent", "A request to an alias"):
        app.get_by_role("button", name=ready).click()
        app.get_by_label("Comes in").select_option("on the simulated server")
        app.get_by_role("button", name="Send it").click()
        expect(app.get_by_text("Sent to the server, where Mnemic finds it")).to_be_visible()
    folders = app.get_by_role("list", name="Folders on the server")
    folders.get_by_role("button", name="Moorings/Permits").click(timeout=SOON)
    letters = app.get_by_role("list", name=re.compile("^Mail in .* on the server")).get_by_role(
        "listitem"
    )
    expect(letters.filter(has_text="Renewal of permit WL-2207")).to_be_visible()
    folders.get_by_role("button", name="INBOX").click()
    letter = letters.filter(has_text="boat adrift")
    letter.get_by_role("combobox").select_option("Archive")
    expect(letter).to_have_count(0)

    places = app.get_by_role("navigation", name="Folders and labels")
    app.get_by_role("link", name="Mail", exact=True).click()
    places.get_by_role("link", name=re.compile("^Archive")).nth(1).click()
    rows = app.get_by_label("Messages").get_by_role("link")
    rows.filter(has_text="boat adrift").click(timeout=SOON)
    app.get_by_role("button", name="Why").click()
    expect(app.get_by_text("Moved from Inbox to Archive elsewhere")).to_be_visible()

    # The server stops: said in the bar, and what is done here meanwhile is told when it is back.
    stand_in.process.terminate()
    stand_in.process.wait()
    app.get_by_role("article").get_by_role("button", name="Trash", exact=True).click()
    state = app.get_by_role("banner").get_by_role("status").filter(has_text="nothing answers")
    expect(state).to_be_visible(timeout=SOON)
    with standing_in(tmp_path / "stand-in", port=stand_in.ports["imap"]) as again:
        expect(state).to_have_count(0, timeout=SOON)
        device = again.device()
        assert device.select("Trash")[1] == [b"1"]
        device.logout()


def the_server(app: Page) -> None:
    setup("Mail on a server")(app)
    app.get_by_text("Its folders", exact=True).click()
    folders = app.get_by_role("list", name=re.compile("^Folders of "))
    expect(folders.get_by_role("listitem").first).to_be_visible(timeout=SOON)
    app.get_by_role("button", name="Change", exact=True).click()
    expect(app.get_by_role("button", name="Try and switch on")).to_be_visible()


def another_device(app: Page) -> None:
    setup("Outside")(app)
    expect(app.get_by_role("list", name="Folders on the server")).to_be_visible(timeout=SOON)


def several_mailboxes(app: Page) -> None:
    an_inbox(app)
    press(app, "☰ Folders")
    expect(app.get_by_role("button", name="Trust office")).to_be_visible()
    press(app, re.compile("^Close: "))
    app.get_by_label("Messages").get_by_role("link").first.click()
    app.get_by_role("article").get_by_role("button", name="Move", exact=True).click()
    expect(app.get_by_role("option", name="Archive Trust office")).to_be_visible()
    app.keyboard.press("Escape")


@pytest.mark.parametrize("width", [320, 1280])
def test_what_is_shown_of_a_server_stays_in_its_place_and_breaks_no_rule_of_axe(
    app: Page, stand_in: StandIn, width: int
) -> None:
    device = stand_in.device()
    for number in range(3):
        device.append("INBOX", "", "", LETTER % (b"Minutes", number))
    device.logout()
    app.set_viewport_size({"width": width, "height": 800})
    faults_by_screen = {}
    for show in (the_server, another_device, several_mailboxes):
        show(app)
        app.wait_for_timeout(400)
        if faults := app.evaluate(OFF_ITS_PLACE) + broken_rules_of_axe(app):
            faults_by_screen[show.__name__] = faults
    assert faults_by_screen == {}


def test_a_folder_of_the_server_is_left_out_and_another_is_the_archive(
    app: Page, stand_in: StandIn
) -> None:
    device = stand_in.device()
    device.create("Done")
    device.append("Done", "", "", LETTER % (b"Minutes", 1))
    device.append("INBOX", "", "", LETTER % (b"Agenda", 2))  # of this the server tells
    setup("Mail on a server")(app)
    app.get_by_text("Its folders", exact=True).click()
    choice = app.get_by_role("combobox", name="What “Done” is for")
    choice.select_option("Archive", timeout=SOON)
    expect(app.get_by_text("“Done”: Archive")).to_be_visible()
    folders = app.get_by_role("list", name=re.compile("^Folders of "))
    row = folders.get_by_role("listitem").filter(has=choice)
    expect(row.get_by_text("the archive")).to_be_visible(timeout=SOON)
    choice.select_option("left out")
    app.get_by_role("dialog").get_by_role("button", name="Leave it out").click()
    expect(row.get_by_text("the archive")).to_have_count(0, timeout=SOON)
    assert device.select("Done")[1] == [b"1"]
    device.logout()
