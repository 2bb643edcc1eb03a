"""A mailbox on a server: its first mirror, what is carried out there, arrivals, and nothing new.

Beside IMAPClient bare, which fetches, moves and marks the same against a stand-in of the same mail,
in another process. Messages have 2 to 9 KB. What has to hold in a large mailbox is asked of one of
100,000, which is mirrored in a process of its own: its memory stands beside that of 20,000.
"""

import gc
import json
import os
import random
import shutil
import smtplib
import statistics
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory

from imapclient import IMAPClient
from imapclient.response_parser import parse_fetch_response

from benchmarks.counting_imap import counting_imap
from benchmarks.mail_on_a_server import PASSWORD, USER, fill, mail_on_a_server, standing_in
from benchmarks.measuring import Result, machine, slowness
from benchmarks.rule_mix import make_rules
from mnemic.core import parse_message, read_rule
from mnemic.core.actions import FileAction, LabelAction
from mnemic.jobs.intake.arrival import import_messages
from mnemic.jobs.people.acts import act
from mnemic.jobs.server.connecting import connect, try_out
from mnemic.jobs.server.passing import IN_STEP, pass_over
from mnemic.post import read_files
from mnemic.server import secret_key
from mnemic.settings import Settings
from mnemic.store import Database
from mnemic.store.engine.sql import fetch
from mnemic.store.line.rules import add_rule
from mnemic.store.owner.accounts import Account
from mnemic.store.search.selection import Selection
from mnemic.store.server.connections import Reach
from mnemic.store.server.secret_key import SecretKey

__all__ = ["mirroring"]

MESSAGES, LARGE, RULES, ARRIVALS = 20_000, 100_000, 200, 40
#: Messages that a catch-up moves, and labels.
MOVED, LABELLED = MESSAGES // 2, MESSAGES // 4
#: Turns of that: a single one is at the mercy of what else the machine does.
TURNS = 5
_KEY = SecretKey(b"k" * 32)
_LARGEST = 2**26
_BATCH = 500


@contextmanager
def _bare(ports: dict[str, int]) -> Iterator[IMAPClient]:
    client = IMAPClient("127.0.0.1", ports["imap"], ssl=False)
    client.normalise_times = False
    client._imap.debug = 0
    client.login(USER, PASSWORD)
    try:
        yield client
    finally:
        client.logout()


def _names(client: IMAPClient) -> list[str]:
    return [str(name) for flags, _, name in client.list_folders() if b"\\Noselect" not in flags]


def _timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def _fetch_all(ports: dict[str, int]) -> None:
    with _bare(ports) as client:
        for name in _names(client):
            client.select_folder(name, readonly=True)
            uids = client.search("ALL")
            for first in range(0, len(uids), _BATCH):
                client.fetch(uids[first : first + _BATCH], ["FLAGS", "INTERNALDATE", "BODY.PEEK[]"])


def _import(folder: Path, mail: list[bytes]) -> float:
    mbox = folder / "mail.mbox"
    with mbox.open("wb") as file:
        for octets in mail:
            file.write(b"From x@x.example Mon May  4 09:00:00 2026\n" + octets + b"\n")
    database = Database(folder / "imported.sqlite3")
    begun = time.perf_counter()
    import_messages(database, read_files([mbox]), now=datetime.now(UTC))
    took = time.perf_counter() - begun
    database.close()
    return took


@dataclass
class _Connected:
    database: Database
    account_id: int

    @classmethod
    def at(cls, path: Path, ports: dict[str, int], key: SecretKey = _KEY) -> "_Connected":
        database = Database(path)
        reach = Reach("127.0.0.1", ports["imap"], "none", USER, "password", PASSWORD)
        tried = try_out(reach)
        with database.writing() as session:
            account = Account(0, "Office", USER, ())
            account_id = connect(session, account, reach, key, acting=True, tried=tried)
        return cls(database, account_id)

    def moves_to(self, ports: dict[str, int]) -> None:
        with self.database.writing() as session:
            port = ports["imap"]
            session.connection().exec_driver_sql("UPDATE connection SET port = ?", (port,))

    def step(self) -> None:
        state, _ = pass_over(self.database, self.account_id, _KEY, largest=_LARGEST)
        assert state == IN_STEP, state


def _first_rows(database: Database, begun: float) -> Callable[[], float]:
    """When the first messages were here: it is waited for beside."""
    seen: list[float] = []

    def look() -> None:
        while not seen:
            with database.reading() as session:
                if fetch(session, "SELECT 1 FROM message LIMIT 1"):
                    seen.append(time.perf_counter() - begun)
            time.sleep(0.02)

    thread = threading.Thread(target=look, daemon=True)
    thread.start()

    def ended() -> float:
        thread.join(timeout=60)
        return seen[0]

    return ended


def _first_mirror(folder: Path) -> Iterator[Result]:
    mail = fill(folder / "stand-in", MESSAGES)
    slow = slowness()
    imported = _import(folder, mail)
    with standing_in(folder / "stand-in") as ports:
        bare = _timed(lambda: _fetch_all(ports))
        ours = _Connected.at(folder / "mnemic.sqlite3", ports)
        begun = time.perf_counter()
        first = _first_rows(ours.database, begun)
        took = _timed(ours.step)
        what = (
            f"first mirror of {MESSAGES:,} ({took:.0f} s) / fetched bare ({bare:.0f} s) + imported"
        )
        yield Result("mirror", f"{what} ({imported:.0f} s)", took / (bare + imported), 1.3)
        here = first()
        yield Result("mirror", f"first rows, in s (here {here:.2g})", here / slow, 2)
        ours.database.close()


#: Mirrors a stand-in's mailbox in a process of its own; the most memory that it took, in KB.
_MIRRORED_ALONE = """
import json, sys
from pathlib import Path
from benchmarks.measuring import peak_memory
from benchmarks.mirroring import _Connected
ours = _Connected.at(Path(sys.argv[1]), json.loads(sys.argv[2]))
ours.step()
ours.database.close()
print(peak_memory())
"""


def _mirrored_alone(folder: Path, messages: int) -> int:
    fill(folder / "stand-in", messages)
    with standing_in(folder / "stand-in") as ports:
        words = [str(folder / "mnemic.sqlite3"), json.dumps(ports)]
        command = [sys.executable, "-c", _MIRRORED_ALONE, *words]
        return int(subprocess.run(command, capture_output=True, check=True).stdout)  # noqa: S603


def _memory(small: Path, large: Path) -> Iterator[Result]:
    few, many = _mirrored_alone(small, MESSAGES), _mirrored_alone(large, LARGE)
    what = f"first mirror, memory: {LARGE:,} messages ({many / 1024:.0f} MB) / {MESSAGES:,}"
    yield Result("mirror", what, many / few, 1.1)


def _carrying_out(folder: Path) -> Iterator[Result]:
    """Catch-ups' worth of moves and labels, told the server; beside the same sets bare.

    In turns, each on a stand-in of its own with the same mail.
    """
    shutil.copytree(folder / "stand-in", folder / "bare")
    database = Database(folder / "mnemic.sqlite3")
    with database.reading() as session:
        asked = (
            "SELECT m.id FROM message AS m JOIN folder AS f ON f.id = m.folder_id"
            " WHERE f.role = 'inbox'"
        )
        ids = [message_id for (message_id,) in fetch(session, asked)]
        ((account_id,),) = fetch(session, "SELECT account_id FROM connection")
    ours, seconds, commands = _Connected(database, account_id), dict[str, list[float]](), 0
    with standing_in(folder / "stand-in") as ports, standing_in(folder / "bare") as bare_ports:
        ours.moves_to(ports)
        gc.collect()
        gc.freeze()  # as Mnemic does when it starts
        for turn in range(TURNS):
            _told_here(database, ids, turn)
            with counting_imap() as counted:
                seconds.setdefault("ours", []).append(_timed(ours.step))
            commands = max(commands, counted["MOVE"] + counted["STORE"] + counted["COPY"])
            bare = _timed(partial(_move_and_mark, bare_ports, turn))
            seconds.setdefault("bare", []).append(bare)
        gc.unfreeze()
    database.close()
    took, bare = (statistics.median(seconds[who]) for who in ("ours", "bare"))
    what = f"{MOVED:,} moved, {LABELLED:,} labelled there ({took:.1f} s) / bare ({bare:.1f} s)"
    yield Result("mirror", what, took / bare, 1.5)
    kinds = (MOVED + LABELLED) / 1_000
    yield Result("mirror", "commands for that − 10, a 1,000 messages", (commands - 10) / kinds, 1)


def _told_here(database: Database, ids: list[int], turn: int) -> None:
    moved, labelled = tuple(ids[:MOVED]), tuple(ids[:LABELLED])
    with database.writing() as session:
        act(session, Selection(ids=moved), FileAction(do="file", folder=f"Past {turn}"), at=0)
        act(session, Selection(ids=labelled), LabelAction(do="label", label=f"Due {turn}"), at=0)


def _move_and_mark(ports: dict[str, int], turn: int) -> None:
    """The same by sets of a 1,000: what was moved in a turn is moved on in the next.

    With coming in and leaving, as a pass has them: when somebody leaves, the stand-in writes.
    """
    with _bare(ports) as client:
        client.create_folder(f"Bare {turn}")
        client.select_folder(f"Bare {turn - 1}" if turn else "INBOX")
        uids = client.search("ALL")[:MOVED]
        for first in range(0, len(uids), 1_000):
            client.move(uids[first : first + 1_000], f"Bare {turn}")
        client.select_folder(f"Bare {turn}")
        uids = client.search("ALL")[:LABELLED]
        for first in range(0, len(uids), 1_000):
            client.add_flags(uids[first : first + 1_000], [f"Bare{turn}".encode()], silent=True)


def _nothing_new(folder: Path) -> Iterator[Result]:
    """A pass in which nothing has changed, with CONDSTORE and without."""
    database = Database(folder / "mnemic.sqlite3")
    with database.reading() as session:
        ((account_id,),) = fetch(session, "SELECT account_id FROM connection")
    ours, slow = _Connected(database, account_id), slowness()
    with standing_in(folder / "stand-in") as ports:
        ours.moves_to(ports)
        ours.step()
        with counting_imap() as counted:
            took = _timed(ours.step)
    yield Result("mirror", "nothing new, over the wire, in KB", counted["octets"] / 1_000, 100)
    yield Result("mirror", f"nothing new, in s (here {took:.2g})", took / slow, 1)
    with standing_in(folder / "stand-in", "CONDSTORE", "QRESYNC") as ports:
        ours.moves_to(ports)
        ours.step()
        took = statistics.median(_timed(ours.step) for _ in range(3))
        bare = statistics.median(_timed(lambda: _all_flags(ports)) for _ in range(3))
    database.close()
    what = f"without CONDSTORE ({took:.2g} s) / all flags bare ({bare:.2g} s)"
    yield Result("mirror", f"nothing new, {what}", took / bare, 1.2)


def _all_flags(ports: dict[str, int]) -> None:
    with _bare(ports) as client:
        for name in _names(client):
            client.select_folder(name, readonly=True)
            parse_fetch_response(client._imap.uid("FETCH", "1:*", "(UID FLAGS)")[1], False, True)


def _arrivals(folder: Path) -> Iterator[Result]:
    """From the server's taking in a message to that message in its folder there."""
    settings = Settings(data=folder, port=0, smtp_port=0)
    database = Database(settings.database)
    views = [parse_message(octets) for octets in mail_on_a_server(300)]
    when = {"field": "subject", "test": "words", "values": ["arrival"]}
    rule = {"name": "Arrivals", "when": when, "then": [{"do": "file", "folder": "Arrived"}]}
    with database.writing() as session:
        for new_rule in (read_rule(rule), *make_rules(views, RULES - 1)):
            add_rule(session, new_rule)
        # The password under the key that the server will have.
        ((account_id,),) = fetch(session, "SELECT account_id FROM connection")
        sealed = secret_key(settings).sealed(PASSWORD, f"connection {account_id}")
        session.connection().exec_driver_sql("UPDATE connection SET secret = ?", (sealed,))
    slow, took = slowness(), []
    with standing_in(folder / "stand-in") as ports:
        _Connected(database, account_id).moves_to(ports)
        database.close()
        with _serving(folder), _bare(ports) as client:
            _wait_for(lambda: client.folder_exists("INBOX"), 5)
            time.sleep(20)  # the first pass, and IDLE
            for number in range(ARRIVALS):
                begun = time.perf_counter()
                _deliver(ports, number)
                _wait_for(lambda n=number: _arrived(client) > n, 60)  # type: ignore[misc]
                took.append(time.perf_counter() - begun)
                time.sleep(random.Random(number).uniform(0, 1))
    median, late = statistics.median(took), statistics.quantiles(took, n=20)[-1]
    yield Result(
        "mirror", f"arrival to its folder, median in s (here {median:.2g})", median / slow, 1
    )
    yield Result("mirror", f"95th percentile in s (here {late:.2g})", late / slow, 2)


@contextmanager
def _serving(folder: Path) -> Iterator[None]:
    surroundings = {**os.environ, "MNEMIC_DATA": str(folder), "MNEMIC_PORT": "0"}
    with subprocess.Popen(
        [sys.executable, "-m", "mnemic", "serve"],
        env={**surroundings, "MNEMIC_SMTP_PORT": "0"},
        stdout=subprocess.DEVNULL,
    ) as process:
        try:
            yield
        finally:
            process.terminate()


def _deliver(ports: dict[str, int], number: int) -> None:
    letter = (
        f"From: a@x.example\r\nTo: {USER}\r\nSubject: arrival {number}\r\n"
        f"Message-ID: <arrival-{number}@x.example>\r\n\r\nhello\r\n"
    )
    with smtplib.SMTP("127.0.0.1", ports["smtp"], timeout=20) as client:
        client.sendmail("a@x.example", [USER], letter)


def _arrived(client: IMAPClient) -> int:
    if not client.folder_exists("Arrived"):
        return 0
    return int(client.folder_status("Arrived", ["MESSAGES"])[b"MESSAGES"])


def _wait_for(holds: Callable[[], bool], seconds: float) -> None:
    end = time.monotonic() + seconds
    while not holds():
        if time.monotonic() > end:
            raise TimeoutError("it did not come")
        time.sleep(0.01)


def mirroring() -> Iterator[Result]:
    """A mirror of 20,000 messages and what is carried out there; a large one, and what comes to it."""
    with TemporaryDirectory() as name:
        first, small, large = (
            Path(name) / folder_name for folder_name in ("first", "small", "large")
        )
        for path in (first, small, large):
            path.mkdir()
        yield from _first_mirror(first)
        yield from _carrying_out(first)
        yield from _memory(small, large)
        yield from _nothing_new(large)
        yield from _arrivals(large)


if __name__ == "__main__":
    print(machine())
    for result in mirroring():
        print(result.row(), flush=True)
