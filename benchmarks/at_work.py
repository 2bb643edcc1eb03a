"""B15: a mailbox at work as it grows: 200 rules in the line, and another process that takes mail in.

The mail is that of ``benchmarks.corpus``. Each question is asked right after a message came in, by
the API as a browser asks it; a mailbox beside another tells how the time grows with the mail.
"""

import statistics
import subprocess
import sys
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import partial
from itertools import count
from pathlib import Path
from typing import Any, TypeAlias

from flask.testing import FlaskClient

from benchmarks.corpus import corpus, word
from benchmarks.measuring import Result, slowness
from benchmarks.rule_mix import make_rules
from mnemic.core import parse_message
from mnemic.jobs import import_messages
from mnemic.post import FileMessage
from mnemic.store import Database
from mnemic.store.line.rules import add_rule

__all__ = ["DAYS", "NOW", "at_work", "filled"]

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
#: The mail came evenly over so many days.
DAYS = timedelta(days=90)
RULES = 200
ROUNDS = 7

ClientOf: TypeAlias = Callable[[Database], FlaskClient]

#: Takes a message in five times a second, in a process of its own, until it is ended.
_WRITER = """
import sys, time
from datetime import UTC, datetime
from itertools import count
from pathlib import Path
from benchmarks.corpus import corpus
from mnemic.core import parse_message
from mnemic.jobs import take_in
from mnemic.store import Database
database = Database(Path(sys.argv[1]))
for octets in corpus(100_000, first=900_000_000):
    with database.writing() as session:
        take_in(session, parse_message(octets), received=datetime.now(UTC))
    print("came", flush=True)
    time.sleep(0.2)
"""


def filled(path: Path, messages: int) -> int:
    """Fill a mailbox, with the rules in its line; returns the octets of its mail."""
    octets = 0

    def mail() -> Iterator[FileMessage]:
        nonlocal octets
        for number, written in enumerate(corpus(messages), 1):
            octets += len(written)
            yield FileMessage("corpus", written, NOW - DAYS * (messages - number) / messages)

    database = Database(path)
    import_messages(database, mail(), now=NOW, sort=False)
    rules = make_rules([parse_message(written) for written in corpus(RULES)], RULES)
    with database.writing() as session:
        for rule in rules:
            add_rule(session, rule)
    database.close()
    return octets


class _Arrivals:
    """What the other process takes in."""

    def __init__(self, process: "subprocess.Popen[bytes]") -> None:
        self._process = process

    def wait(self) -> None:
        """Until a message has just come in."""
        assert self._process.stdout is not None
        self._process.stdout.readline()


@contextmanager
def _arriving(path: Path) -> Iterator[_Arrivals]:
    words = [sys.executable, "-c", _WRITER, str(path)]
    process = subprocess.Popen(words, stdout=subprocess.PIPE, bufsize=0)  # noqa: S603
    try:
        yield _Arrivals(process)
    finally:
        process.terminate()
        process.wait()
        assert process.stdout is not None
        process.stdout.close()


def _test(field: str, test: str, value: str, **more: str) -> dict[str, Any]:
    return {"field": field, "test": test, "values": [value], **more}


@dataclass(frozen=True)
class _Question:
    """Something that is asked, each time otherwise: a number is a part of it."""

    name: str
    ask: Callable[[FlaskClient, int], None]
    flat: bool = False  # whether it is to take as long in a large mailbox as in a small one


def _get(url: str, client: FlaskClient, number: int) -> None:
    answer = client.get(url.format(number=number))
    assert answer.status_code == 200, answer.json


def _post(url: str, body: Mapping[str, Any], client: FlaskClient, _number: int) -> None:
    answer = client.post(url, json=body)
    assert answer.status_code == 200, answer.json


def _rehearse(
    made: Callable[[int], dict[str, Any]], patience: str, client: FlaskClient, number: int
) -> None:
    sender = _test("from", "contains", word("en", 400)[:3])
    body = {
        "when": {"all": [sender, made(number)]},
        "then": [{"do": "flag"}],
        "patience": patience,
    }
    _post("/api/rehearsal", body, client, number)


def _keystroke(number: int) -> dict[str, Any]:
    return _test("subject", "contains", word("en", 1_000 + number)[: 3 + number % 5])


def _questions(rule_ids: list[int]) -> list[_Question]:
    preview = partial(_post, "/api/catch-ups/preview", {"rule_ids": rule_ids})
    rare, frequent = word("en", 8_000), word("en", 30)
    searches = {
        "rare": rare,
        "frequent": frequent,
        "two letters": word("en", 0)[:2],
        "phrase": f'"{word("en", 3)} {word("en", 8)}"',
        "minus": f"-{frequent}",
    }
    find = "/api/messages?find={what} -k{{number}}&limit=60&patience=glance"
    return [
        _Question("a keystroke", partial(_rehearse, _keystroke, "whole")),
        _Question("a glance", partial(_rehearse, _keystroke, "glance")),
        _Question("order check", partial(_get, "/api/rules/check")),
        _Question("a catch-up told", preview),
        _Question("GET /api/rules", partial(_get, "/api/rules"), flat=True),
        _Question("a rule’s work", partial(_get, f"/api/rules/{rule_ids[0]}/work"), flat=True),
        *(
            _Question(f"Find, {name}", partial(_get, find.format(what=what)), flat=True)
            for name, what in searches.items()
        ),
        _Question(
            "first of a sender",
            partial(_rehearse, lambda _: _test("contact", "is", "first"), "whole"),
        ),
        _Question(
            "a header field, first rows",
            partial(
                _rehearse, lambda n: _test("header", "contains", f"x{n}", name="X-A"), "glance"
            ),
        ),
    ]


def _milliseconds(client: FlaskClient, question: _Question, arrivals: _Arrivals) -> float:
    """The median of some rounds, each right after a message came in."""
    numbers = count()
    question.ask(client, next(numbers))  # what is worked out once is not what grows
    times = []
    for _ in range(ROUNDS):
        arrivals.wait()
        begun = time.perf_counter()
        question.ask(client, next(numbers))
        times.append(time.perf_counter() - begun)
    return statistics.median(times) * 1000


def _pattern(client: FlaskClient) -> tuple[float, float]:
    """Seconds to look for a text by a pattern, and for the plain piece in it; each asked anew."""
    seconds: dict[str, list[float]] = {"contains": [], "regex": []}
    for number in range(ROUNDS):
        for test, times in seconds.items():
            piece = word("en", 3_000 + number)
            value = piece if test == "contains" else f"{piece}[a-z]* "
            body = {"when": _test("body", test, value), "then": [{"do": "flag"}]}
            begun = time.perf_counter()
            _post("/api/rehearsal", body, client, number)
            times.append(time.perf_counter() - begun)
    return statistics.median(seconds["regex"]), statistics.median(seconds["contains"])


def _measured(path: Path, client_of: ClientOf) -> dict[str, float]:
    database = Database(path)
    client = client_of(database)
    line: Any = client.get("/api/rules").json
    rule_ids = [rule["id"] for rule in line["rules"]]
    _post("/api/catch-ups/preview", {"rule_ids": rule_ids}, client, 0)  # makes the line ready
    with _arriving(path) as arrivals:
        times = {
            question.name: _milliseconds(client, question, arrivals)
            for question in _questions(rule_ids)
        }
    database.close()
    return times


def at_work(folder: Path, client_of: ClientOf, small: int, large: int) -> Iterator[Result]:
    """B15, for mailboxes of two sizes, which stay in the folder."""
    paths = {size: folder / f"{size}" / "mnemic.sqlite3" for size in (small, large)}
    for size, path in paths.items():
        if not path.exists():
            octets = filled(path, size)
            disk = path.stat().st_size / octets
            yield Result("B15", f"{size:,} messages on disk / their octets", disk, 1.3)
    before, after = (_measured(path, client_of) for path in paths.values())
    for question in _questions([1]):
        few, many = before[question.name], after[question.name]
        what = f"{question.name}, {large:,} messages ({many:.0f} ms) / {small:,} ({few:.0f} ms)"
        yield Result("B15", what, many / few, 1.3 if question.flat else large / small)
    database = Database(paths[large])
    pattern, piece = _pattern(client_of(database))
    body = {"when": _test("header", "contains", "zzz", name="Message-ID"), "then": [{"do": "flag"}]}
    client, slow, begun = client_of(database), slowness(), time.perf_counter()
    _post("/api/rehearsal", body, client, 0)
    whole = time.perf_counter() - begun
    what = f"a header field that all {large:,} have, whole, asked first, in s (here {whole:.1f})"
    yield Result("B15", what, whole / slow, 6)
    print(f"a body by pattern: {pattern * 1000:.0f} ms, its plain piece {piece * 1000:.0f} ms")
    yield Result("B15", "a body by pattern / its plain piece", pattern / piece, 2)
    database.close()
