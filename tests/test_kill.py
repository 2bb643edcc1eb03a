"""kill -9 at any moment: in the middle of arrivals, imports, catch-ups and undo."""

import itertools
import random
import signal
import smtplib
import sqlite3
import threading
import time
import urllib.error
import urllib.request
from collections import Counter
from datetime import UTC, datetime
from http.client import HTTPException
from pathlib import Path

from mnemic.core import read_rule
from mnemic.jobs import import_messages
from mnemic.post import FileMessage
from mnemic.store import Database
from mnemic.store.engine.backup import check_database
from mnemic.store.line.catch_ups import jobs_to_do
from mnemic.store.line.rules import add_rule
from tests.serving import Serving

#: How often the server is killed; at a random moment each time, from a fixed seed.
#: It is killed so often, and on a slow machine, where fewer kills fall in between, oftener.
KILLS, MOST_KILLS = 40, 100
SENDERS = 3
#: Enough for a catch-up of many transactions.
MAILBOX = 4_000
DROPPED = 40
NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)


def letter(number: str) -> bytes:
    return (
        f"Message-ID: <{number}@x.example>\r\nFrom: ann@x.example\r\nTo: me@x.example\r\n"
        f"Subject: {number}\r\n\r\n{'text ' * 200}\r\n"
    ).encode()


def send(port: int, waiting: list[str], acknowledged: list[str]) -> None:
    """Send what waits, as a mail server does: what was not acknowledged stays waiting."""
    try:
        with smtplib.SMTP("127.0.0.1", port, timeout=60) as client:
            while waiting:
                client.sendmail("ann@x.example", ["me@x.example"], letter(waiting[0]))
                acknowledged.append(waiting.pop(0))
    except (smtplib.SMTPException, OSError):
        return  # the server is gone; the rest is sent to the next one


def tidy_and_undo(server: Serving, rule_ids: list[int], runs: list[int], did: Counter[str]) -> None:
    """Begin a catch-up and undo the one before, again and again, until the server is gone."""
    try:
        for rule_id in itertools.cycle(rule_ids):
            if len(server.ask("api/catch-ups")["jobs"]) < 2:
                job = server.ask("api/catch-ups", {"rule_ids": [rule_id], "respects": False})
                did["begun"] += 1
                runs.append(job["run_id"])
            if len(runs) > 1:
                did["undone"] += bool(undo(server, runs[0]))
                runs.pop(0)
            time.sleep(0.05)
    except (urllib.error.URLError, OSError, HTTPException):
        return


def undo(server: Serving, run_id: int) -> int:
    """How many changes were put back."""
    try:
        return int(server.ask("api/undo", {"run_id": run_id})["restored"])
    except urllib.error.HTTPError as error:  # none was made yet, or it was undone before
        assert error.code in (404, 409)  # noqa: PT017
        return 0


def drop(folder: Path, number: int) -> list[str]:
    """Put an mbox into the drop folder, whole at once; the subjects of its messages."""
    names = [f"dropped-{number}-{at}" for at in range(DROPPED)]
    octets = b"".join(
        b"From x Mon May  4 09:00:00 2026\n" + letter(name).replace(b"\r\n", b"\n") + b"\n"
        for name in names
    )
    folder.mkdir(parents=True, exist_ok=True)
    unfinished = folder / f".{number}.part"
    unfinished.write_bytes(octets)
    unfinished.rename(folder / f"{number}.mbox")
    return names


def made(path: Path) -> list[int]:
    """A mailbox with rules that want the same mail; the ids of the rules."""
    database = Database(path)
    mail = [FileMessage("old.mbox", letter(f"old-{at}"), NOW) for at in range(MAILBOX)]
    import_messages(database, mail, now=NOW)
    ids = []
    with database.writing() as session:
        for number, digit in enumerate("123"):
            when = {"field": "subject", "test": "contains", "values": [digit]}
            then = [
                {"do": "file", "folder": f"F{number}"},
                {"do": "label", "label": f"L{number}"},
                {"do": "flag"},
            ]
            rule = {"name": f"r{number}", "runs": ["arrival", "hand"], "when": when, "then": then}
            ids.append(add_rule(session, read_rule(rule)).id)
    database.close()
    return ids


def interrupted(data: Path) -> tuple[bool, bool]:
    """Whether a catch-up was half way, and whether an import was, when the server was killed."""
    connection = sqlite3.connect(data / "mnemic.sqlite3")
    running = "SELECT 1 FROM catch_up WHERE state = 'running'"
    half_way = connection.execute(running).fetchone() is not None
    connection.close()
    return half_way, bool(list((data / "drop").glob("*.mbox")))


def settled(data: Path) -> None:
    """A last server ends what was interrupted."""
    database = Database(data / "mnemic.sqlite3")
    for _ in range(2_400):  # on a slow machine a catch-up steps back again and again
        with database.reading() as session:
            open_jobs = jobs_to_do(session)
        if not open_jobs and not list((data / "drop").glob("*.mbox")):
            break
        time.sleep(0.1)
    else:
        raise AssertionError("what was interrupted has not ended")
    database.close()


def test_kill_9_at_any_moment_loses_nothing_doubles_nothing_and_ends_what_it_began(
    tmp_path: Path,
) -> None:
    chance = random.Random(20_261_123)  # noqa: S311 -- nothing secret
    data = tmp_path / "data"
    rule_ids = made(data / "mnemic.sqlite3")
    waiting = [[f"{sender}-{number}" for number in range(400)] for sender in range(SENDERS)]
    acknowledged: list[list[str]] = [[] for _ in range(SENDERS)]
    dropped: list[str] = []
    runs: list[int] = []
    did: Counter[str] = Counter()
    moments: list[tuple[bool, bool]] = []
    for number in range(MOST_KILLS):
        if number >= KILLS and said_enough(did, moments):
            break
        server = Serving(data)
        dropped += drop(data / "drop", number)
        threads = [
            threading.Thread(target=send, args=(server.smtp_port, waiting[at], acknowledged[at]))
            for at in range(SENDERS)
        ]
        threads.append(threading.Thread(target=tidy_and_undo, args=(server, rule_ids, runs, did)))
        for thread in threads:
            thread.start()
        time.sleep(chance.uniform(0.0, 1.1))
        server.end(signal.SIGKILL)
        for thread in threads:
            thread.join()
        moments.append(interrupted(data))
    # What waits after a lost answer may be here or not; it is sent again, and is here once.
    last = Serving(data)
    for at in range(SENDERS):
        waiting[at] = waiting[at][:5]
        send(last.smtp_port, waiting[at], acknowledged[at])
        assert waiting[at] == []
    settled(data)
    last.end(signal.SIGKILL)
    sent = {number for numbers in acknowledged for number in numbers}
    assert len(sent) > 2 * len(moments), "too little was sent to say anything"
    assert said_enough(did, moments), (did, moments)
    all_is_there_once(data / "mnemic.sqlite3", [*sent, *dropped])


def said_enough(did: Counter[str], moments: list[tuple[bool, bool]]) -> bool:
    """Whether enough kills fell in between for the test to say something."""
    half_way = [sum(counts) for counts in zip(*moments, strict=True)]
    return all(number >= 4 for number in (did["begun"], did["undone"], *half_way))


def all_is_there_once(path: Path, came: list[str]) -> None:
    assert list(check_database(path)) == []  # integrity, journal, orphans
    connection = sqlite3.connect(path)
    here = [subject for (subject,) in connection.execute("SELECT subject FROM message")]
    batches = connection.execute("SELECT done, total, state FROM catch_up").fetchall()
    ((left,),) = connection.execute("SELECT count(*) FROM catch_up_batch")
    connection.close()
    expected = [*came, *(f"old-{number}" for number in range(MAILBOX))]
    assert sorted(here) == sorted(expected)
    # One that was undone while it went on was stopped by that; every other one is whole.
    assert {state for *_, state in batches} <= {"done", "stopped"}
    assert [batch for batch in batches if batch[2] == "done" and batch[0] != batch[1]] == []
    assert left == 0
