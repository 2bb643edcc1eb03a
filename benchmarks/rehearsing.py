"""B9: the rehearsal at 100,000 messages, beside bare SQL that answers the same, and a scan."""

import sqlite3
import statistics
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from flask.testing import FlaskClient

from benchmarks.measuring import Result, side_by_side
from mnemic.core import parse_message, read_rule
from mnemic.jobs import take_in
from mnemic.store import Database
from mnemic.store.line.rules import add_rule, delete_rule
from mnemic.store.mail.addresses import home_of

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)

#: Stands in about one body of a thousand (benchmarks.mailbox).
RARE = "zephyrine"

_RECIPIENTS = "('to', 'cc', 'bcc', 'delivered_to', 'x_original_to', 'envelope')"


@dataclass(frozen=True)
class Asked:
    """A condition, and hand-written SQL for the messages that it holds for."""

    condition: dict[str, Any]
    sql: str
    parameters: tuple[Any, ...]


def _bearing(header: str, where: str) -> str:
    return (
        "SELECT DISTINCT message_id AS id FROM message_address"
        f" WHERE address_id IN (SELECT id FROM address WHERE {where}) AND header {header}"
    )


def sender(value: str) -> Asked:
    condition = {"field": "from", "test": "is", "values": [value]}
    return Asked(condition, _bearing("= 'from'", "canonical = ?"), (value,))


def domain(value: str) -> Asked:
    condition = {"field": "from", "part": "domain", "test": "under", "values": [value]}
    where = "home = ? OR (home > ? AND home < ?)"
    home = home_of(value)
    return Asked(condition, _bearing("= 'from'", where), (home, f"{home}.", f"{home}/"))


def recipient(value: str) -> Asked:
    condition = {"field": "recipient", "test": "is", "values": [value]}
    return Asked(condition, _bearing(f"IN {_RECIPIENTS}", "canonical = ?"), (value,))


def text(field: str, value: str) -> Asked:
    condition = {"field": field, "test": "contains", "values": [value]}
    trigrams = " AND ".join(f'"{value[at : at + 3]}"' for at in range(len(value) - 2))
    sql = (
        "SELECT f.message_id AS id FROM message_trigram AS t"
        " CROSS JOIN message_folded AS f ON f.message_id = t.rowid"
        f" WHERE message_trigram MATCH ? AND instr(f.{field}, ?) > 0"
    )
    return Asked(condition, sql, (trigrams, value))


SENDER, DOMAIN = sender("priya.n@millpond.example"), domain("wendle-lyde.example")
MOORINGS = recipient("moorings@wendle-lyde.example")

#: Each time other words, so that nothing is known of them: what a keystroke changes. The rest of a
#: group stays as it was.
CASES: dict[str, tuple[list[Asked], list[Asked]]] = {
    "sender": ([], [sender(f"{value}.example") for value in (
        "priya.n@millpond", "aurelio@heronsrest", "r.achterberg@post", "colm@ashdown-marine",
        "committee@kestrelwharf", "o.venn@post", "bram@ashdown-marine")]),
    "domain": ([], [domain(value) for value in (
        "wendle-lyde.example", "post.example", "heronsrest.example", "millpond.example",
        "gauges.wendle-lyde.example", "kestrelwharf.example", "lockhouse-shop.example")]),
    "recipient": ([], [recipient(f"{value}wendle-lyde.example") for value in (
        "moorings@", "works@", "volunteers@", "events@", "shop@", "tamsin@", "boaters@lists.")]),
    "subject": ([], [text("subject", value) for value in (
        "permit", "licence", "regatta", "level report", "order", "towpath", "newsletter")]),
    "body, rare": ([], [text("body", f"{RARE[:size]}") for size in range(3, 10)]),
    "body, frequent": ([], [text("body", value) for value in (
        "the", "and", "with", "reference", "you", "lock", "this")]),
    "two": ([MOORINGS], [text("subject", value) for value in (
        "permit", "licence", "renewal", "insurance", "winter", "berth", "transfer")]),
    "three": ([MOORINGS, text("subject", "permit")], [text("body", value) for value in (
        "berth", "number", "insurance", "certificate", "regards", "renew", "month")]),
    "five": (
        [MOORINGS, DOMAIN, SENDER, text("subject", "permit")],
        [text("body", value) for value in (
            "sincerely", "morning", "please", "attached", "narrowboat", "plate", "winter")],
    ),
}  # fmt: skip


def bare(connection: sqlite3.Connection, group: list[Asked]) -> tuple[int, ...]:
    """All of the group: takes, nearly, any instead, and each by itself; and the first 50 rows."""
    named = [f"c{number}" for number in range(len(group))]
    parts = ", ".join(
        f"{n} AS MATERIALIZED ({asked.sql})" for n, asked in zip(named, group, strict=True)
    )
    united = " UNION ALL ".join(f"SELECT id FROM {table}" for table in named)
    tally = f"tally AS MATERIALIZED (SELECT id, count(*) AS n FROM ({united}) GROUP BY id)"
    if len(group) == 1:
        tally = "tally AS (SELECT id, 1 AS n FROM c0)"
    singly = ", ".join(f"(SELECT count(*) FROM {table})" for table in named)
    size = len(group)
    sql = (
        f"WITH {parts}, {tally}"
        f" SELECT a.*, p.* FROM (SELECT sum(n = {size}) AS takes, sum(n = {size - 1}) AS nearly,"
        f" count(*) AS otherwise, {singly} FROM tally) AS a"
        " LEFT JOIN (SELECT m.*, t.packed FROM (SELECT m.id FROM tally JOIN message AS m USING (id)"
        f" WHERE n = {size} ORDER BY m.received_at DESC, m.id DESC LIMIT 50) AS first"
        " JOIN message AS m USING (id) JOIN message_text AS t ON t.message_id = m.id) AS p"
    )
    parameters = [value for part in group for value in part.parameters]
    rows = connection.execute(sql, parameters).fetchall()
    return tuple(int(row or 0) for row in rows[0][: 3 + size])


_SCAN = "SELECT count(*) FROM message_folded WHERE instr(body, ?) > 0"


class _Ways:
    def __init__(self, database: Database, client: FlaskClient) -> None:
        self.connection = sqlite3.connect(database.path)
        self.connection.execute("PRAGMA cache_size = -65536")
        self.client = client

    def ask(self, group: list[Asked], patience: str) -> dict[str, Any]:
        when = {"all": [part.condition for part in group]}
        then = [{"do": "file", "folder": "Elsewhere"}]
        body = {"when": when, "then": then, "patience": patience}
        answer = self.client.post("/api/rehearsal", json=body)
        assert answer.status_code == 200, answer.text
        answered: Any = answer.json
        return dict(answered)

    def turns(self, name: str, do: Callable[[list[Asked]], object]) -> Callable[[], object]:
        """Each turn with the next of the changing conditions."""
        fixed, changing = CASES[name]
        calls = iter(range(10_000))

        def turn() -> object:
            return do([*fixed, changing[next(calls) % len(changing)]])

        return turn


def _ratios(ways: _Ways) -> Iterator[Result]:
    worst: dict[str, float] = {}
    for name, (_, changing) in CASES.items():
        rounds = len(changing) - 1  # after one to warm up: no condition is asked for twice
        times = side_by_side(
            {
                "ours": ways.turns(name, lambda group: ways.ask(group, "whole")),
                "bare": ways.turns(name, lambda group: bare(ways.connection, group)),
            },
            rounds=rounds,
        )
        worst[name] = (times["ours"] - 0.010) / times["bare"]
        print(
            f"rehearsal, {name}: {times['ours'] * 1000:.1f} ms,"
            f" bare SQL {times['bare'] * 1000:.1f} ms"
        )
    for name, ratio in worst.items():
        yield Result("B9", f"rehearsal, {name}: (ours − 10 ms) / bare SQL", ratio, 1.5)


def _rare(ways: _Ways) -> Iterator[Result]:
    words = [f"{RARE} {letter}" for letter in "abcdefgh"]
    for word in words:  # a word that is rare, and one that is in no body
        assert bare(ways.connection, [text("body", word)])[0] == 0
    calls = iter(words)
    times = side_by_side(
        {
            "ours": lambda: ways.ask([text("body", next(calls))], "whole"),
            "scan": lambda: ways.connection.execute(_SCAN, (RARE,)).fetchone(),
        },
        rounds=len(words) - 1,
    )
    yield Result("B9", "rehearsal, rare phrase / scan", times["ours"] / times["scan"], 0.1)


#: Texts typed letter by letter into the last condition of a group.
_TYPED = ("mooring permits", "insurance", "zephyrine", "the lock", "regatta marshals")


def _keystrokes(ways: _Ways) -> Iterator[Result]:
    groups = [
        [],
        [MOORINGS],
        [MOORINGS, DOMAIN],
        [SENDER, DOMAIN, MOORINGS, text("subject", "re:")],
    ]
    seconds = []
    for fixed in groups:
        for field, typed in zip(("body", "subject") * 3, _TYPED, strict=False):
            for size in range(1, len(typed) + 1):
                asked = {"field": field, "test": "contains", "values": [typed[:size].strip()]}
                begun = time.perf_counter()
                ways.ask([*fixed, Asked(asked, "", ())], "glance")
                seconds.append(time.perf_counter() - begun)
    seconds.sort()
    median, late = statistics.median(seconds), seconds[int(len(seconds) * 0.95)]
    print(f"keystrokes: {len(seconds)}, the slowest {seconds[-1] * 1000:.0f} ms")
    yield Result("B9", "a keystroke to counts and rows, median in ms", median * 1000, 60)
    yield Result("B9", "a keystroke to counts and rows, 95th percentile in ms", late * 1000, 250)


def _after_commits(ways: _Ways, database: Database) -> Iterator[Result]:
    """A keystroke right after a message came in, beside one with nothing committed since."""
    above = []
    with database.writing() as session:
        for number in range(10):
            when = {"field": "subject", "test": "contains", "values": [f"w{number}", "permit"]}
            then = [{"do": "label", "label": f"L{number}"}]
            made = read_rule({"name": f"r{number}", "when": when, "then": then})
            above.append(add_rule(session, made).id)
    seconds: dict[str, list[float]] = {"quiet": [], "committed": []}
    typed = [word[:size] for word in _TYPED for size in range(3, len(word) + 1)]
    for number, text_so_far in enumerate(typed):
        for way, times in seconds.items():
            if way == "committed":
                octets = f"From: a@x.example\nSubject: hello {number}\n\nhello\n".encode()
                with database.writing() as session:
                    take_in(session, parse_message(octets), received=NOW, rules=[])
            begun = time.perf_counter()
            ways.ask([MOORINGS, text("subject", f"{text_so_far}{way[0]}")], "whole")
            times.append(time.perf_counter() - begun)
    with database.writing() as session:  # what is measured next has rules of its own
        for rule_id in above:
            delete_rule(session, rule_id)
    quiet, committed = (statistics.median(times) for times in seconds.values())
    print(f"a keystroke: {quiet * 1000:.1f} ms, after a commit {committed * 1000:.1f} ms")
    yield Result("B13", "a keystroke after a message came in / without", committed / quiet, 1.5)


def rehearsing(database: Database, client: FlaskClient) -> Iterator[Result]:
    """B9, on a mailbox of 100,000 messages."""
    ways = _Ways(database, client)
    for fixed, changing in CASES.values():
        group = [*fixed, changing[0]]
        ours, theirs = ways.ask(group, "whole"), bare(ways.connection, group)
        counts = [ours["counts"][f"when.all[{at}]"] for at in range(len(group))]
        assert (ours["takes"], *counts) == (theirs[0], *theirs[3:]), (ours["takes"], theirs)
        if len(group) > 1:
            assert (ours["nearly"], ours["takes_otherwise"]) == theirs[1:3]
    yield from _ratios(ways)
    yield from _rare(ways)
    yield from _keystrokes(ways)
    yield from _after_commits(ways, database)
    ways.connection.close()
