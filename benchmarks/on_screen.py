"""B17: what a person waits for, in the browser: 100,000 messages, 300 rules, a server of its own process.

Each time is from the press to the next frame that shows its result, beside what the server's longest
answer took of it. Tasks of the browser's main thread are measured in turns of their own.

What is wanted is for a quiet machine of its time: each figure stands beside what was measured here,
divided by how much slower this machine is in the same run (`measuring.slowness`).
"""

import gzip
import os
import re
import statistics
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import Any, TypeAlias

from playwright.sync_api import Browser, Page, sync_playwright

from benchmarks.corpus import corpus, word
from benchmarks.main_thread import longest_task
from benchmarks.measuring import Result, peak_memory, slowness
from benchmarks.rule_mix import make_rules
from mnemic.core import parse_message
from mnemic.store import Database
from mnemic.store.line.rules import add_rule, list_rules

__all__ = ["on_screen"]

RULES = 300
ROUNDS = 5
_LANGUAGE = "en"
PORT, SMTP_PORT = 8598, 8599
_ASSETS = Path(__file__).parents[1] / "src" / "mnemic" / "web" / "assets"

#: Chromium asks for nothing outside.
_ARGUMENTS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking"]

_WATCH = """
window.painted = (act, seen) => new Promise((done) => {
  const begun = performance.now()
  act?.()
  const look = () => {
    if (!seen()) return requestAnimationFrame(look)
    requestAnimationFrame(() => {
      const asked = performance.getEntriesByType('resource')
        .filter((each) => each.name.includes('/api/') && each.startTime >= (act ? begun : 0))
      const server = Math.max(0, ...asked.map((each) => each.responseEnd - each.requestStart))
      done([performance.now() - (act ? begun : 0), server])
    })
  }
  look()
})
"""


def _with_rules(path: Path) -> None:
    """As many rules as are wanted in the line."""
    database = Database(path)
    with database.writing() as session:
        there = len(list_rules(session))
        views = [parse_message(octets) for octets in corpus(500, first=7_000)]
        for rule in make_rules(views, RULES)[there:]:
            add_rule(session, rule)
    database.close()


@contextmanager
def _served(folder: Path) -> Iterator[tuple[str, int]]:
    """The address and the process of a server over the mailbox in a folder."""
    ports = {"MNEMIC_PORT": str(PORT), "MNEMIC_SMTP_PORT": str(SMTP_PORT)}
    environment = {**os.environ, "MNEMIC_DATA": str(folder), **ports}
    command = [sys.executable, "-m", "mnemic", "serve"]
    address = f"http://127.0.0.1:{PORT}"
    with subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL) as server:  # noqa: S603
        try:
            for _ in range(600):
                try:
                    urllib.request.urlopen(f"{address}/api/mailbox", timeout=60).close()  # noqa: S310
                    break
                except OSError:
                    time.sleep(0.1)
            yield address, server.pid
        finally:
            server.terminate()


def _painted(page: Page, act: str, seen: str, given: Any = None) -> tuple[float, float]:
    """Milliseconds to the frame that shows it, and of the server's longest answer."""
    script = f"(given) => window.painted({act}, {seen})"
    whole, server = page.evaluate(script, given)
    return float(whole), float(server)


_ROWS = "() => document.querySelector('.row .subject') !== null"


def _first_list(page: Page, address: str) -> tuple[float, float]:
    page.goto(address, wait_until="commit")
    return _painted(page, "null", _ROWS)


def _opened(page: Page, number: int) -> tuple[float, float]:
    row = f"document.querySelectorAll('.row a.open')[{number}]"
    seen = f"""() => {{
      const now = document.querySelector('article'), row = {row}
      if (now === null || location.pathname !== row?.pathname) return false
      const subject = row.querySelector('.subject').lastChild.textContent.trim()
      return now.getAttribute('aria-label') === subject
    }}"""
    return _painted(page, f"() => {row}.click()", seen)


def _typed(page: Page, text: str) -> tuple[float, float]:
    """A word that was typed as the value of the rule's one condition, to its count and rows."""
    act = """() => {
      window.told = document.querySelector('[data-testid=takes]')?.textContent
      const field = document.querySelector('.values input')
      field.value = given
      field.dispatchEvent(new Event('input', { bubbles: true }))
    }"""
    seen = """() => {
      const now = document.querySelector('[data-testid=takes]')?.textContent
      return now !== undefined && now !== window.told
    }"""
    return _painted(page, act, seen, text)


def _switched(page: Page, view: str, seen: str) -> tuple[float, float]:
    link = (
        f"[...document.querySelectorAll('.views a')].find((a) => a.textContent.trim() === '{view}')"
    )
    return _painted(page, f"() => {link}.click()", seen)


_Times: TypeAlias = dict[str, list[tuple[float, float]]]


def _turn(page: Page, address: str, turn: int) -> dict[str, tuple[float, float]]:
    """One time through the views, each time by its name."""
    rules = "() => document.querySelector('[data-rule]') !== null"
    times = {"the first list": _first_list(page, address)}
    page.mouse.move(640, 300 + turn)  # who presses a message has come over the list before
    page.wait_for_timeout(1_500)
    times["a message opened"] = _opened(page, 1 + turn)
    page.wait_for_timeout(500)
    times["to Rules"] = _switched(page, "Rules", rules)
    page.wait_for_timeout(1_500)
    times["back to Mail"] = _switched(page, "Mail", _ROWS)
    page.goto(f"{address}/rules/new")
    page.locator(".values input").wait_for()
    page.wait_for_timeout(1_000)
    _typed(page, word(_LANGUAGE, 40 + turn))
    page.wait_for_timeout(1_500)
    times["a key to its rehearsal"] = _typed(page, word(_LANGUAGE, 300 + 7 * turn))
    page.wait_for_timeout(1_000)
    return times


def _measured(page: Page, address: str) -> _Times:
    """Each time by its name, the first of them a warming up."""
    times: _Times = {}
    for turn in range(ROUNDS + 1):
        for name, measured in _turn(page, address, turn).items():
            times.setdefault(name, []).append(measured)
    return times


def _longest_tasks(browser: Browser, page: Page, address: str) -> tuple[float, float]:
    """Of the tasks of further turns the most processor time, and the most by the clock, in ms."""
    turns = range(ROUNDS + 1, 2 * ROUNDS + 1)
    tasks = [longest_task(browser, page, partial(_turn, page, address, turn)) for turn in turns]
    return max(task for task, _ in tasks), max(clock for _, clock in tasks)


def _dragged(browser: Browser, page: Page, address: str) -> float:
    """A rule is dragged over ten others and dropped: the longest task meanwhile, by the clock."""
    page.goto(f"{address}/rules")
    rules = page.get_by_label("Rules from top to bottom").get_by_role("link")
    rules.nth(12).wait_for()
    page.wait_for_timeout(1_500)

    def drag() -> None:
        rules.nth(11).drag_to(rules.nth(1))
        page.wait_for_timeout(1_500)

    return longest_task(browser, page, drag)[1]


def _first_view(page: Page, address: str) -> int:
    """Octets of scripts and styles that the first view loads, gzipped."""
    page.goto(address)
    page.locator(".row").first.wait_for()
    page.wait_for_timeout(1_500)
    urls = page.evaluate("performance.getEntriesByType('resource').map((each) => each.name)")
    names = {Path(url).name for url in urls if re.search(r"/assets/.+\.(js|css)$", url)}
    return sum(len(gzip.compress((_ASSETS / name).read_bytes(), 9)) for name in names)


#: What is wanted, in milliseconds.
_WANTED = {
    "the first list": 1_000,
    "a message opened": 200,
    "to Rules": 500,
    "back to Mail": 200,
    "a key to its rehearsal": 300,
}


def on_screen(folder: Path) -> Iterator[Result]:
    """B17, over the mailbox in a folder."""
    _with_rules(folder / "mnemic.sqlite3")
    with _served(folder) as (address, server), sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=_ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(_WATCH)
        size = _first_view(page, address)
        slow = [slowness()]
        times = _measured(page, address)
        slow.append(slowness())
        task, by_the_clock = _longest_tasks(browser, page, address)
        dragged = statistics.median(_dragged(browser, page, address) for _ in range(ROUNDS))
        browser.close()
        memory = peak_memory(server)
    slow.append(slowness())
    slower = statistics.mean(slow)
    for name, measured in times.items():
        whole, answer = (
            statistics.median(measure[at] for measure in measured[1:]) for at in (0, 1)
        )
        here = f"here {whole:.0f}, the server {answer:.0f}"
        yield Result("B17", f"{name}, in ms ({here})", whole / slower, _WANTED[name])
    longest = "the longest task of the browser’s main thread"
    yield Result("B17", f"{longest}, processor time in ms (here {task:.0f})", task / slower, 200)
    what = f"{longest}, by the clock in ms (here {by_the_clock:.0f})"
    yield Result("B17", what, by_the_clock / slower, 200)
    what = (
        f"a rule dragged among {RULES}: the longest task, by the clock in ms (here {dragged:.0f})"
    )
    yield Result("B17", what, dragged / slower, 200)
    yield Result("B17", "the server’s memory after all that, its most, in MB", memory / 1000, 400)
    yield Result("B17", "scripts and styles of the first view, gzipped, in KB", size / 1000, 150)


if __name__ == "__main__":
    for result in on_screen(Path(sys.argv[1])):
        print(result.row())
