"""B14: lists and messages where rules have labelled all mail, right after a message came in.

What rules did stands beside each message, and each label tells how many bear it: neither may take
longer for there being much of it.
"""

import time
from collections.abc import Callable, Iterator
from pathlib import Path

from flask.testing import FlaskClient

from benchmarks.catching_up import catch_up, copied
from benchmarks.line_at_work import comes_in
from benchmarks.measuring import Result, slowness
from mnemic.core import read_rule
from mnemic.store import Database
from mnemic.store.line.rules import add_rule

__all__ = ["lived_in"]

LABELS = 4
ROUNDS = 7
#: Milliseconds, on a quiet machine.
MOST = 50


def _labelled(source: Path, place: Path) -> Database:
    database = Database(copied(source, place))
    for number in range(LABELS):
        then = [{"do": "label", "label": f"Label {number}"}]
        rule = {"name": f"label {number}", "when": {"always": True}, "then": then}
        with database.writing() as session:
            add_rule(session, read_rule(rule))
    catch_up(database)
    return database


def lived_in(
    source: Path, place: Path, client_of: Callable[[Database], FlaskClient]
) -> Iterator[Result]:
    """Milliseconds of what is asked for all day; ``place`` is where a copy is made."""
    database = _labelled(source, place)
    client = client_of(database)
    urls = {
        "a page of a folder": "/api/messages?folder=1&limit=60",
        "a page of a label": "/api/messages?label=1&limit=60",
        "a message": "/api/messages/1",
        "folders and labels": "/api/mailbox",
        "mail by kind": "/api/kinds?label=1",
    }
    for name, url in urls.items():
        client.get(url)
        slow, times = slowness(), []
        for number in range(ROUNDS):
            comes_in(database, 2_000 + number)
            begun = time.perf_counter()
            assert client.get(url).status_code == 200
            times.append(time.perf_counter() - begun)
        here = sorted(times)[ROUNDS // 2] * 1000
        what = f"all mail labelled: {name}, in ms (here {here:.0f})"
        yield Result("B14", what, here / slow, MOST)
    database.close()
