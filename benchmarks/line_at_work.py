"""B14: searching, and a line of 200 rules, in a mailbox of 100,000 messages that mail comes into.

Beside a page of a folder, which has as many rows to show, or beside the bare pass of the core over
all mail, as far as one message of twenty tells how long that takes.
"""

import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

from flask.testing import FlaskClient

from benchmarks.catching_up import catch_up, copied, make_rules, reading_and_deciding
from benchmarks.measuring import Result, side_by_side
from mnemic.core import parse_message, read_rule
from mnemic.jobs import CatchUpPlan, preview_catch_up, take_in
from mnemic.jobs.line.order_findings import check_order
from mnemic.store import Database
from mnemic.store.line.rules import add_rule, list_rules

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
#: Of so many messages one is decided by the core, for the time that all of them would take.
SAMPLE = 20
#: What is typed into Find: a rare word, a frequent one, two letters, a phrase, what is left out.
SEARCHES = ("zephyrine", "permit", "be", '"the lock"', "-permit")


def comes_in(database: Database, number: int) -> None:
    """A message comes in, as they do all the time."""
    octets = f"From: a@x.example\nSubject: hello {number}\n\nhello\n".encode()
    with database.writing() as session:
        take_in(session, parse_message(octets), received=NOW, rules=[])


def searching_first(client: FlaskClient) -> Iterator[Result]:
    """The first page of a search, whatever is asked for."""
    folder = "/api/messages?folder=1&limit=60"
    client.get(folder)

    def first(text: str, number: int) -> object:  # each time another search, which nobody knows
        return client.get(f"/api/messages?find={text} -k{number}&limit=60&patience=glance")

    worst = 0.0
    for text in SEARCHES:
        numbers = iter(range(100))
        times = side_by_side(
            {"ours": lambda: first(text, next(numbers)), "page": lambda: client.get(folder)}  # noqa: B023
        )
        worst = max(worst, times["ours"] / times["page"])
        print(
            f"first page of {text}: {times['ours'] * 1000:.1f} ms, of a folder {times['page'] * 1000:.1f} ms"
        )
    yield Result("B14", "first page of a search, the dearest of five / of a folder", worst, 2.5)


def searching_again(database: Database, client: FlaskClient) -> Iterator[Result]:
    """All of a search that is looked at, and a folder, each right after a message came in."""
    urls = ("/api/messages?find=permit&limit=60", "/api/messages?folder=1&limit=60")
    seconds: dict[str, list[float]] = {url: [] for url in urls}
    for url in urls:
        client.get(url)
    for number in range(7):
        for url, times in seconds.items():
            comes_in(database, 100 + number)
            begun = time.perf_counter()
            client.get(url)
            times.append(time.perf_counter() - begun)
    search, page = (sorted(times)[3] for times in seconds.values())
    yield Result("B14", "a search after a message came in / a folder", search / page, 2)


def telling(database: Database) -> Iterator[Result]:
    """What a catch-up with all rules would do, and the order check, after a message came in."""
    rules = make_rules(database, 100_000)
    deciding = reading_and_deciding(database, rules, one_of=SAMPLE)[0] * SAMPLE
    with database.reading() as session:
        plan = CatchUpPlan(tuple(stored.id for stored in list_rules(session)))
    seconds: dict[str, float] = {}
    for number in range(3):  # the first time the masks of conditions are made
        comes_in(database, 1_000 + number)
        with database.reading() as session:
            begun = time.perf_counter()
            preview_catch_up(session, plan, now=NOW)
            seconds["told"] = time.perf_counter() - begun
            begun = time.perf_counter()
            check_order(session, now=NOW)
            seconds["checked"] = time.perf_counter() - begun
    print(f"a pass of the core: {deciding:.1f} s; ours, seconds: {seconds}")
    what = "what a catch-up with 200 rules would do / a pass of the core"
    yield Result("B14", what, seconds["told"] / deciding, 0.05)
    yield Result(
        "B14", "order check of 200 rules / a pass of the core", seconds["checked"] / deciding, 0.02
    )


def after_a_large_run(
    source: Path, place: Path, client_of: Callable[[Database], FlaskClient]
) -> Iterator[Result]:
    """The line and a rule's work, before and after a catch-up that changes all mail."""
    database = Database(copied(source, place / "history"))
    with database.writing() as session:
        then = [{"do": "colour", "colour": "moss"}]
        rule = add_rule(session, read_rule({"name": "all", "when": {"always": True}, "then": then}))
    client = client_of(database)

    def asked(url: str) -> float:
        client.get(url)
        times = []
        for number in range(7):
            comes_in(database, number)
            begun = time.perf_counter()
            client.get(url)
            times.append(time.perf_counter() - begun)
        return sorted(times)[3]

    urls = {"GET /api/rules": "/api/rules", "a rule’s work": f"/api/rules/{rule.id}/work"}
    before = {name: asked(url) for name, url in urls.items()}
    catch_up(database)
    for name, url in urls.items():
        after = asked(url)
        print(
            f"{name}: {before[name] * 1000:.1f} ms, after a catch-up of all mail {after * 1000:.1f} ms"
        )
        if url == "/api/rules":
            yield Result(
                "B14", f"{name}, after a catch-up of all mail / before", after / before[name], 1.3
            )
        else:
            yield Result("B14", f"{name} after a catch-up of all mail, in ms", after * 1000, 50)
    database.close()


def line_at_work(
    database: Database, client_of: Callable[[Database], FlaskClient]
) -> Iterator[Result]:
    """All of them; works on copies, which it leaves in the database's own folder."""
    source, place = database.path, database.path.parent.parent / "line"
    copy = Database(copied(source, place / "copy"))
    yield from searching_first(client_of(copy))
    yield from searching_again(copy, client_of(copy))
    yield from telling(copy)
    copy.close()
    yield from after_a_large_run(source, place, client_of)
