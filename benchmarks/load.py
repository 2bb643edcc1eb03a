"""Under load: mail arrives, a catch-up runs and three browsers rehearse, all at once (`make load`).

For a minute 50 messages a second come in by SMTP while catch-ups with 200 rules over 100,000 messages
run and are undone, one after the other, and three browsers type into a rule. Afterwards nothing may
be lost, and the 95th percentile of the rehearsals, as the browsers saw them, is to be below 300 ms.
"""

import re
import signal
import smtplib
import sqlite3
import statistics
import tempfile
import threading
import time
from contextlib import closing
from pathlib import Path

from playwright.sync_api import Page, Request, sync_playwright
from tests.browser.conftest import CHROMIUM_ARGUMENTS
from tests.serving import Serving

from benchmarks.at_work import filled
from benchmarks.corpus import word
from benchmarks.mailbox import LARGE
from benchmarks.measuring import Result
from mnemic.store.engine.backup import check_database

SECONDS = 60
A_SECOND = 50
SENDERS = 10  # who deliver side by side, as the servers of several correspondents do
BROWSERS = 3
#: What is typed, and the milliseconds in which somebody looks at what it would take.
TYPED = (word("en", 900), word("en", 8_000), f"{word('en', 600)}.example", word("en", 30), "lock")
PAUSE = 400
#: Seconds after which an answer is not waited for; it counts as so long.
PATIENCE = 10


def letter(number: int) -> bytes:
    """A message of its own."""
    return (
        f"Message-ID: <load-{number}@x.example>\r\nFrom: ann{number % 90}@x.example\r\n"
        f"To: moorings@wendle-lyde.example\r\nSubject: load {number} permit\r\n\r\n"
        f"{'text of a message ' * 60}\r\n"
    ).encode()


def arrivals(server: Serving, sender: int, until: float, late: dict[int, float]) -> None:
    """One sender's share of fifty a second, each at its time; how late each was acknowledged."""
    begun, number = time.monotonic(), sender
    with smtplib.SMTP("127.0.0.1", server.smtp_port, timeout=60) as client:
        while (due := begun + number / A_SECOND) < until:
            time.sleep(max(0.0, due - time.monotonic()))
            client.sendmail("a@x.example", ["moorings@wendle-lyde.example"], letter(number))
            late[number] = time.monotonic() - due
            number += SENDERS


def catch_ups(server: Serving, until: float, ended: list[int]) -> None:
    """Catch up with all rules and undo it, again and again; how many messages each came to."""
    rules = [rule["id"] for rule in server.ask("api/rules")["rules"]]
    while time.monotonic() < until:
        job = server.ask("api/catch-ups", {"rule_ids": rules, "respects": False})
        while job["state"] not in ("done", "stopped"):
            time.sleep(0.5)
            job = server.ask(f"api/catch-ups/{job['id']}")
            if time.monotonic() > until and job["state"] == "running":
                job = server.ask(f"api/catch-ups/{job['id']}/stop", {})
        ended.append(job["done"])
        server.ask("api/undo", {"run_id": job["run_id"]})


class Typist:
    """A browser in which somebody types into a rule, and looks at what it would take."""

    def __init__(self, page: Page, address: str) -> None:
        self.page, self.answered = page, dict[str, float]()
        page.on("requestfinished", self._finished)
        page.goto(f"{address}rules/new")
        self._box = page.get_by_label(re.compile("^Condition 1: Sender"))
        self._box.wait_for()
        self.typed = ""

    def _finished(self, request: Request) -> None:
        if request.url.endswith("/api/rehearsal") and (asked := request.post_data_json):
            value = asked["when"]["all"][0]["values"][0]
            self.answered.setdefault(value, request.timing["responseEnd"])

    def type(self, text: str) -> None:
        """Type it, in place of what is there."""
        self.typed = text
        self._box.fill(text)

    @property
    def milliseconds(self) -> float | None:
        """How long the answer to what was typed took, as the browser saw it; None: not yet."""
        return self.answered.get(self.typed)


def rehearsing(server: Serving, until: float, times: list[float]) -> None:
    """Three browsers, each with a rule into which somebody types."""
    with sync_playwright() as playwright:
        typists = []
        for _ in range(BROWSERS):
            browser = playwright.chromium.launch(
                executable_path="/usr/bin/chromium", args=CHROMIUM_ARGUMENTS
            )
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.set_default_timeout(60_000)
            typists.append(Typist(page, server.address))
        number = 0
        while time.monotonic() < until:
            for typist in typists:
                number += 1
                word = TYPED[number % len(TYPED)]
                typist.type(f"{word[: 3 + number % 6]}{number % 97}" if number % 4 == 0 else word)
                typist.answered.clear()
            typists[0].page.wait_for_timeout(PAUSE)
            patience = time.monotonic() + PATIENCE
            while time.monotonic() < patience and any(e.milliseconds is None for e in typists):
                typists[0].page.wait_for_timeout(20)
            times.extend(e.milliseconds or PATIENCE * 1000 for e in typists)


def main() -> None:
    """Fill, serve, load, look."""
    with tempfile.TemporaryDirectory() as name:
        filled(Path(name) / "mnemic.sqlite3", LARGE)
        for result in under_load(Path(name)):
            print(result.row())


def messages_in(path: Path) -> int:
    """How many messages a mailbox holds."""
    with closing(sqlite3.connect(path)) as connection:
        ((count,),) = connection.execute("SELECT count(*) FROM message")
    return int(count)


def under_load(data: Path) -> list[Result]:
    """The minute, over a data folder whose mailbox is filled."""
    path = data / "mnemic.sqlite3"
    count = messages_in(path)
    server = Serving(data)
    late: dict[int, float] = {}  # by message, in seconds
    ended: list[int] = []
    times: list[float] = []
    until = time.monotonic() + SECONDS + 15  # the browsers take a while to start
    threads = [
        threading.Thread(target=arrivals, args=(server, sender, until, late))
        for sender in range(SENDERS)
    ]
    threads.append(threading.Thread(target=catch_ups, args=(server, until, ended)))
    for thread in threads:
        thread.start()
    rehearsing(server, until, times)
    for thread in threads:
        thread.join()
    server.end(signal.SIGTERM)
    wrong = list(check_database(path))
    after = messages_in(path)
    assert wrong == [], wrong
    assert after - count == len(late), (after - count, len(late))
    assert len(times) > BROWSERS * 10, "too little was typed to say anything"
    cuts = statistics.quantiles(times, n=20)
    print(
        f"{len(late)} messages taken in, the slowest {max(late.values()):.2f} s after its time;"
        f" catch-ups that came to {ended} messages; {len(times)} rehearsals, median"
        f" {statistics.median(times):.0f} ms, 95th percentile {cuts[-1]:.0f} ms"
    )
    last = max(late)
    per_second = len(late) / (last / A_SECOND + late[last])  # until the last was taken
    return [
        Result("Load", "messages taken in a second", per_second, 0.98 * A_SECOND, at_least=True),
        Result("Load", "rehearsal, 95th percentile, in ms", cuts[-1], 300),
    ]


if __name__ == "__main__":
    main()
