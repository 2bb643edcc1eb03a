"""Rules that go by the day; the clock is moved on (time-machine, and the browser's own)."""

import re
import shutil
import smtplib
from datetime import UTC, datetime, timedelta
from pathlib import Path

import time_machine
from playwright.sync_api import Page, expect

from tests.browser.places import choose, fill_place, new_rule
from tests.conftest import running


def test_a_rule_on_age_runs_when_its_day_has_come(
    demo_folder: Path, tmp_path: Path, page: Page
) -> None:
    data = tmp_path / "data"
    shutil.copytree(demo_folder, data)
    page.set_default_timeout(10_000)
    with running(data) as server:
        page.goto(server.address)
        new_rule(page)
        choose(page, "Condition 1: what is looked at", "Age")
        age = page.get_by_label(re.compile("^Condition 1: Age"))
        age.and_(page.get_by_role("spinbutton")).fill("130")
        choose(page, re.compile("^Condition 1: Age.*: unit"), "days")
        fill_place(page, "File in folder", "Long ago")
        page.get_by_label("Name of the rule").fill("Long ago")
        runs = page.get_by_label("When it runs")
        runs.get_by_text("as mail arrives").click()
        runs.get_by_text("once a day").click()
        expect(page.get_by_label("The rule as a sentence")).to_contain_text("once a day")
        expect(page.get_by_test_id("takes")).to_have_text("0")
        page.keyboard.press("Control+Enter")
        expect(page.get_by_text("Saved “Long ago”")).to_be_visible()
        expect(page.get_by_label("What the rule has done")).to_have_text("Has taken nothing yet")
    with (
        time_machine.travel(datetime.now(UTC) + timedelta(days=20)),
        running(data) as server,
    ):
        page.goto(server.address)
        folder = page.get_by_role("link", name=re.compile("^Long ago"))
        expect(folder).to_be_visible()
        folder.click()
        expect(page.get_by_text(re.compile(r"\d+ messages, newest first"))).to_be_visible()
        page.get_by_label("Messages").locator(".row").get_by_role("link").first.click()
        trail = page.get_by_label("Trail", exact=True)
        expect(trail).to_contain_text("Filed in Long ago by Long ago, once a day")
        page.keyboard.press("3")
        run = page.get_by_role("listitem").filter(has_text="Once a day: “Long ago”")
        run.get_by_role("button", name=re.compile("^Undo: ")).click()
        expect(page.get_by_text("Undone: Once a day: “Long ago”").first).to_be_visible()


def test_a_rule_for_a_time_takes_the_mail_of_its_days_alone(
    demo_folder: Path, tmp_path: Path, page: Page
) -> None:
    data, begun = tmp_path / "data", datetime.now(UTC)
    shutil.copytree(demo_folder, data)
    page.set_default_timeout(10_000)
    first, last = ((begun + timedelta(days=days)).date().isoformat() for days in (2, 3))
    with running(data) as server:
        page.goto(f"{server.address}rules/new")
        choose(page, "Condition 1: what is looked at", "Every message")
        fill_place(page, "File in folder", "Regatta week")
        page.get_by_label("Name of the rule").fill("Regatta week")
        page.get_by_text("only mail received").click()
        for label, day in (("First day it is for", last), ("Last day it is for", first)):
            page.get_by_label(label).fill(day)
            page.keyboard.press("Enter")
        page.keyboard.press("Control+Enter")
        wrong = page.get_by_text(f"The first day lies after until, which is {first}")
        expect(wrong).to_be_visible()
        for label, day in (("First day it is for", first), ("Last day it is for", last)):
            page.get_by_label(label).fill(day)
            page.keyboard.press("Enter")
        expect(page.get_by_label("The rule as a sentence")).to_contain_text(
            "With all mail received"
        )
        page.keyboard.press("Control+Enter")
        expect(page.get_by_text("Saved “Regatta week”")).to_be_visible()
    for days, season, taken in ((1, "waits", 0), (2, None, 1), (3, None, 2), (4, "over", 2)):
        moment = begun + timedelta(days=days)
        with time_machine.travel(moment), running(data) as server:
            with smtplib.SMTP("127.0.0.1", server.smtp_port, timeout=60) as client:
                letter = "From: a@x.example\r\nSubject: Marshals\r\n\r\nhi"
                client.sendmail("a@x.example", ["events@wendle-lyde.example"], letter)
            page.clock.set_fixed_time(moment)
            page.goto(f"{server.address}rules")
            row = page.locator("[data-rule]").filter(has_text="Regatta week")
            expect(row.locator(".taken")).to_contain_text(season or str(taken))
            page.goto(f"{server.address}mail")
            folder = page.get_by_role("link", name=re.compile("^Regatta week"))
            if taken:
                expect(folder).to_contain_text(str(taken))
            else:
                expect(folder).not_to_contain_text(re.compile(r"\d"))
