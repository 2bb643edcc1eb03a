"""B16: mail that is delivered, with 1,000 rules in the line: its time, and what is written for it.

Beside a bare loop that parses each message the fastest way and commits its octets to a table.
"""

import sqlite3
import statistics
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from benchmarks.corpus import corpus
from benchmarks.measuring import Result
from benchmarks.reference_parse import fastest_parse
from benchmarks.rule_mix import make_rules
from mnemic.core import Envelope, parse_message
from mnemic.jobs.intake.deliveries import Deliveries
from mnemic.post import Delivery
from mnemic.store import Database
from mnemic.store.line.rules import add_rule

__all__ = ["arriving"]

RULES, MESSAGES, TOGETHER, ROUNDS = 1_000, 300, 10, 3
_ENVELOPE = Envelope("a@x.example", ("office@office.example",))


def _written() -> int:
    """Octets that this process has had written to the disk."""
    for line in Path("/proc/self/io").read_text("utf-8").splitlines():
        if line.startswith("write_bytes:"):
            return int(line.split()[1])
    raise OSError("this system does not say what a process has written")


class _Bare:
    """Parses a message, and commits its octets."""

    def __init__(self, path: Path) -> None:
        self._connection = sqlite3.connect(path, isolation_level=None)
        self._connection.execute("PRAGMA journal_mode = WAL")
        self._connection.execute("PRAGMA synchronous = FULL")
        self._connection.execute("CREATE TABLE message (id INTEGER PRIMARY KEY, octets BLOB)")

    def take(self, mail: Sequence[bytes]) -> None:
        """One after the other."""
        for octets in mail:
            fastest_parse(octets)
            self._connection.execute("INSERT INTO message (octets) VALUES (?)", (octets,))

    def close(self) -> None:
        self._connection.close()


def _one_by_one(deliveries: Deliveries, mail: Sequence[bytes]) -> None:
    for octets in mail:
        deliveries.deliver(Delivery(octets, _ENVELOPE))


def _side_by_side(deliveries: Deliveries, mail: Sequence[bytes]) -> None:
    """As so many senders do at once."""
    threads = [
        threading.Thread(target=_one_by_one, args=(deliveries, mail[first::TOGETHER]))
        for first in range(TOGETHER)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()


def arriving() -> Iterator[Result]:
    """All of it, in a mailbox that fills."""
    with tempfile.TemporaryDirectory() as name:
        database = Database(Path(name) / "mnemic.sqlite3")
        with database.writing() as session:
            for rule in make_rules([parse_message(octets) for octets in corpus(200)], RULES):
                add_rule(session, rule)
        deliveries, bare = Deliveries(database, lambda _: None), _Bare(Path(name) / "bare.sqlite3")
        ways: dict[str, Callable[[Sequence[bytes]], None]] = {
            "one by one": lambda mail: _one_by_one(deliveries, mail),
            "ten at a time": lambda mail: _side_by_side(deliveries, mail),
            "bare": bare.take,
        }
        times: dict[str, list[float]] = {way: [] for way in ways}
        written: dict[str, list[float]] = {way: [] for way in ways}
        mail = list(corpus(MESSAGES * (1 + ROUNDS * len(ways)), first=800_000_000))
        _one_by_one(deliveries, [mail.pop() for _ in range(MESSAGES)])  # to warm up
        for _ in range(ROUNDS):
            for way, take in ways.items():
                part = [mail.pop() for _ in range(MESSAGES)]
                octets, before, begun = sum(map(len, part)), _written(), time.perf_counter()
                take(part)
                times[way].append(time.perf_counter() - begun)
                written[way].append((_written() - before) / octets)
        bare.close()
        database.close()
    seconds = {way: statistics.median(measured) for way, measured in times.items()}
    for way, second in seconds.items():
        print(f"arriving, {way}: {MESSAGES / second:.0f} a second")
        if way != "bare":
            ratio = second / seconds["bare"]
            yield Result("B16", f"delivered {way}, 1,000 rules / parsed and committed", ratio, 5)
            disk = statistics.mean(written[way])
            yield Result("B16", f"octets written, {way} / octets delivered", disk, 3)
