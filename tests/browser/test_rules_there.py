"""Where rules run: handed over to the stand-in, which sorts while Mnemic is closed; and back."""

import re
import smtplib
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from mnemic.core import read_rule
from mnemic.post.access import Access, Secret
from mnemic.post.managesieve import Listed, managing_scripts
from mnemic.settings import Settings
from mnemic.store import Database
from mnemic.store.line.rules import add_rule
from tests.browser.demo_on_a_server import demo_on_a_server
from tests.browser.test_any_screen import OFF_ITS_PLACE, broken_rules_of_axe, setup
from tests.conftest import running
from tests.stand_in.standing_in import PASSWORD, USER, StandIn, standing_in

#: A pass is made a second after something happened, and takes its time where the machine is busy.
SOON = 60_000

#: No script can ask for a name in this way.
STAYS = {
    "name": "Nandakumars",
    "when": {"field": "from", "part": "name", "test": "wildcard", "values": ["*nandakumar"]},
    "then": [{"do": "flag"}],
}

LETTER = (
    "From: Priya Nandakumar <priya@heronsrest.example>\r\nTo: %s\r\nSubject: %s\r\n"
    "Message-ID: <%d@heronsrest.example>\r\n\r\nHello\r\n"
)


@pytest.fixture
def stand_in(tmp_path: Path) -> Iterator[StandIn]:
    with standing_in(tmp_path / "stand-in") as started:
        yield started


def access(stand_in: StandIn) -> Access:
    secret = Secret("password", PASSWORD)
    return Access("127.0.0.1", stand_in.ports["sieve"], "none", USER, secret)


def deliver(stand_in: StandIn, number: int, to: str, subject: str) -> None:
    with smtplib.SMTP("127.0.0.1", stand_in.ports["smtp"], timeout=60) as post:
        post.sendmail("priya@heronsrest.example", [to], LETTER % (to, subject, number))


def looked_at(page: Page, stand_in: StandIn) -> None:
    """What will differ is told before anything is handed over."""
    setup("Mail on a server")(page)
    page.get_by_role("button", name="Let the server run them").click()
    form = page.get_by_role("form", name=re.compile("keeps scripts$"))
    expect(form.get_by_label("Server of scripts")).to_be_focused()
    form.get_by_label("Port").fill("1")
    form.get_by_role("button", name="Look").click()
    expect(form.get_by_text("Nothing answers at 127.0.0.1:1; look at the port")).to_be_visible()
    form.get_by_label("Port").fill(str(stand_in.ports["sieve"]))
    form.get_by_role("button", name="Look").click()
    could = page.get_by_label(re.compile("^What the server of .* could run$"))
    expect(could).to_contain_text("7 rules can run there, 6 of them close; 1 stays here")
    expect(could).to_contain_text("“away” runs there now: it is kept here and there")
    expect(could.get_by_role("row", name=re.compile("^Gauges and alarms there"))).to_be_visible()
    expect(could.get_by_role("row", name=re.compile("^Nandakumars here"))).to_be_visible()


def stays_in_place(page: Page) -> None:
    for width in (320, 1280):
        page.set_viewport_size({"width": width, "height": 800})
        page.wait_for_timeout(400)
        assert page.evaluate(OFF_ITS_PLACE) + broken_rules_of_axe(page) == []


def handed_over(page: Page) -> None:
    page.get_by_role("button", name="Hand 7 rules over").click()
    part = page.get_by_label(re.compile("^Where the rules of .* run$"))
    expect(part).to_contain_text("On the server as far as it can: 7 rules of 9, as “Mnemic”.")
    which = part.get_by_role("button", name="Which runs where")
    expect(which).to_be_focused()
    which.click()
    expect(part.get_by_role("row", name=re.compile("^Nandakumars here"))).to_be_visible()
    stays_in_place(page)
    page.get_by_role("button", name="Only watch").click()
    expect(page.get_by_text("runs its rules; bring them back first")).to_be_visible()


def opened(page: Page, subject: str) -> None:
    page.get_by_label("Messages").get_by_role("link").filter(has_text=subject).click(timeout=SOON)
    page.get_by_role("article").get_by_role("button", name="Why", exact=True).click()


def test_the_server_sorts_while_mnemic_is_closed_and_gives_its_rules_back(
    page: Page, demo_folder: Path, tmp_path: Path, stand_in: StandIn
) -> None:
    data = tmp_path / "data"
    demo_on_a_server(demo_folder, data, stand_in)
    database = Database(Settings(data=data).database)
    with database.writing() as session:
        add_rule(session, read_rule(STAYS))
    database.close()
    with managing_scripts(access(stand_in)) as scripts:
        scripts.put("away", b"keep;\r\n")
        scripts.activate("away")
    with running(data) as server:
        page.goto(server.address)
        looked_at(page, stand_in)
        stays_in_place(page)
        handed_over(page)

    deliver(stand_in, 1, "moorings@wendle-lyde.example", "Renewal of permit WL-2207")
    deliver(stand_in, 2, USER, "Minutes of Monday")
    device = stand_in.device()
    assert device.select("Moorings/Permits")[1] == [b"1"]  # nothing but the server was there
    device.logout()

    with running(data) as server:
        page.goto(server.address)
        places = page.get_by_role("navigation", name="Folders and labels")
        places.get_by_role("link", name=re.compile("^Permits")).nth(1).click(timeout=SOON)
        opened(page, "WL-2207")
        trail = page.get_by_role("group", name="Trail")
        expect(trail).to_contain_text(
            "Filed in Moorings / Permits, labelled Permit by the server, as Mooring permits says"
        )
        expect(trail.locator("mark").filter(has_text="permit")).to_be_visible()
        places.get_by_role("link", name=re.compile("^Inbox")).nth(1).click()
        opened(page, "Minutes of Monday")
        expect(trail).to_contain_text("Flagged by Nandakumars")
        page.get_by_role("link", name="History", exact=True).click()
        expect(page.get_by_text("Sorted by the server as it came in")).to_be_visible()

        setup("Mail on a server")(page)
        page.get_by_role("button", name="Run them here again").click()
        expect(page.get_by_text("run here again; “away” runs on the server")).to_be_visible()
        expect(page.get_by_role("button", name="Let the server run them")).to_be_focused()
    with managing_scripts(access(stand_in)) as scripts:
        assert scripts.scripts() == Listed(("away",), "away")


def test_a_script_that_another_has_let_run_is_asked_about(
    page: Page, demo_folder: Path, tmp_path: Path, stand_in: StandIn
) -> None:
    demo_on_a_server(demo_folder, tmp_path / "data", stand_in)
    with running(tmp_path / "data") as server:
        page.goto(server.address)
        setup("Mail on a server")(page)
        page.get_by_role("button", name="Let the server run them").click()
        form = page.get_by_role("form", name=re.compile("keeps scripts$"))
        form.get_by_label("Port").fill(str(stand_in.ports["sieve"]))
        form.get_by_role("button", name="Look").click()
        page.get_by_role("button", name="Hand 7 rules over").click()
        expect(page.get_by_role("button", name="Which runs where")).to_be_visible()
        with managing_scripts(access(stand_in)) as scripts:
            scripts.put("holiday", b"keep;\r\n")
            scripts.activate("holiday")
    with running(tmp_path / "data") as server:  # it looks as it begins
        page.goto(server.address)
        setup("Mail on a server")(page)
        question = "he script “holiday” runs on the server now, and not the rules"
        expect(page.get_by_role("alert")).to_contain_text(question, timeout=SOON)
        expect(page.get_by_role("banner").get_by_text(f"t{question}")).to_be_visible()
        stays_in_place(page)
        page.get_by_role("button", name="Run ours there again").click()
        page.get_by_role("dialog").get_by_role("button", name="Run ours").click()
        expect(page.get_by_role("alert")).to_have_count(0)
        expect(page.get_by_text("“holiday” ran there before.")).to_be_visible()
    with managing_scripts(access(stand_in)) as scripts:
        assert scripts.scripts().active == "Mnemic"
