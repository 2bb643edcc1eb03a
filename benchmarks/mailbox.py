"""B6 to B11: taking mail in, opening, searching, rehearsing, catching up; 10,000 to 100,000 messages."""

import random
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime
from functools import partial
from pathlib import Path

from flask.testing import FlaskClient

from benchmarks.catching_up import catching_up
from benchmarks.line_at_work import line_at_work
from benchmarks.lived_in import lived_in
from benchmarks.measuring import Result, peak_memory, side_by_side
from benchmarks.rehearsing import rehearsing
from mnemic.api import EventBus, create_app
from mnemic.core import parse_message
from mnemic.core.search import understand
from mnemic.jobs import import_messages
from mnemic.jobs.catch_up.worker import Worker
from mnemic.jobs.intake.import_desk import ImportDesk
from mnemic.jobs.server.passes import Passes
from mnemic.post import read_files
from mnemic.store import Database
from mnemic.store.engine.driver import driver
from mnemic.store.mail.folded import folded_values
from mnemic.store.mail.folders import Role, folder_with_role
from mnemic.store.mail.message_states import states_of_messages
from mnemic.store.mail.trigram_index import index_pending
from mnemic.store.search.content_masks import ContentMasks
from mnemic.store.search.finding import find_messages
from mnemic.store.server.secret_key import SecretKey

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
TAKEN_IN = 10_000
LARGE = 100_000
_COMPARED: tuple[Role, ...] = ("inbox", "archive")
#: A word that stands in about one message of a thousand.
RARE = "zephyrine"


def write_mbox(path: Path, mail: list[bytes], count: int) -> None:
    """An mbox of that many messages, each different from every other."""
    with path.open("wb") as file:
        for number in range(count):
            octets = mail[number % len(mail)].replace(b"\nFrom ", b"\n>From ")
            rare = f" {RARE}" if number % 997 == 0 else ""
            mark = f"X-Number: {number}\nKeywords: k{number}\n".encode()
            file.write(b"From x@x.example Mon May  4 09:00:00 2026\n" + mark + octets)
            file.write(f"\nReference {number:x}{rare}\n\n".encode())


def parsing_stage(path: Path) -> None:
    """What taking in does before anything is stored: read, parse, fold."""
    for written in read_files([path]):
        message = parse_message(written.octets)
        folded_values(message)
        _ = message.attachments, message.received, message.kind, message.priority
        _ = message.list_id, message.message_id, message.size


_IMPORT = """
import sys
from benchmarks.measuring import peak_memory
from datetime import UTC, datetime
from pathlib import Path
from mnemic.jobs import import_messages
from mnemic.post import read_files
from mnemic.store import Database
database = Database(Path(sys.argv[2]))
import_messages(database, read_files([Path(sys.argv[1])]), now=datetime.now(UTC), sort=False)
database.close()
print(peak_memory())
"""


def peak_of_import(mbox: Path, database: Path) -> int:
    """Peak memory of an import in a process of its own, in KB."""
    words = [sys.executable, "-c", _IMPORT, str(mbox), str(database)]
    done = subprocess.run(words, check=True, stdout=subprocess.PIPE)  # noqa: S603
    return int(done.stdout)


def taking_in(folder: Path, mail: list[bytes]) -> Iterator[Result]:
    """B6."""
    mbox, small = folder / "ten.mbox", folder / "one.mbox"
    write_mbox(mbox, mail, TAKEN_IN)
    write_mbox(small, mail, TAKEN_IN // 10)
    parsing, storing = [], []
    for number in range(3):
        begun = time.perf_counter()
        parsing_stage(mbox)
        parsing.append(time.perf_counter() - begun)
        database = Database(folder / f"{number}" / "mnemic.sqlite3")
        begun = time.perf_counter()
        report = import_messages(database, read_files([mbox]), now=NOW, sort=False)
        storing.append(time.perf_counter() - begun)
        assert report.taken_in == TAKEN_IN
        database.close()
    print(f"taking in: {TAKEN_IN / sorted(storing)[1]:.0f} messages a second")
    ratio = sorted(storing)[1] / sorted(parsing)[1]
    yield Result("B6", "taking in 10,000 messages / its own parsing stage", ratio, 1.9)
    peaks = [
        peak_of_import(path, folder / f"p{number}" / "mnemic.sqlite3")
        for number, path in enumerate((small, mbox))
    ]
    yield Result("B6", "peak memory, 10,000 / 1,000 messages", peaks[1] / peaks[0], 1.1)


def fill(folder: Path, mail: list[bytes]) -> Database:
    """A database of 100,000 messages in the inbox, but for 100 in the archive."""
    mbox = folder / "large.mbox"
    write_mbox(mbox, mail, LARGE)
    database = Database(folder / "large" / "mnemic.sqlite3")
    import_messages(database, read_files([mbox]), now=NOW, sort=False)
    mbox.unlink()
    with database.writing() as session:
        connection = session.connection()
        connection.exec_driver_sql(
            "UPDATE message SET folder_id = (SELECT id FROM folder WHERE role = 'archive')"
            " WHERE id % 1000 = 0"
        )
        # The bare SQL knows only what is indexed.
        index_pending(driver(session), states_of_messages(session).top)
    return database


def client_of(database: Database) -> FlaskClient:
    """A client of the API, as the browser uses it."""
    desk, worker = ImportDesk(database, Path()), Worker(database, database.path.parent / "queue")
    app = create_app(
        database,
        EventBus(),
        desk,
        worker,
        port=80,
        smtp=("127.0.0.1", 0),
        passes=Passes(database, lambda: SecretKey(b"k"), database.path.parent, 1),
    )
    client: FlaskClient = app.test_client()
    return client


def opening(database: Database) -> Iterator[Result]:
    """B7: first rows of a folder of 100,000 and of one of 100, from the API."""
    client = client_of(database)
    with database.reading() as session:
        ids: dict[str, int] = {role: folder_with_role(session, role) for role in _COMPARED}

    def first_rows(role: str) -> None:
        answer = client.get(f"/api/messages?folder={ids[role]}&limit=60")
        assert answer.status_code == 200

    ways: dict[str, Callable[[], object]] = {role: partial(first_rows, role) for role in _COMPARED}
    times = side_by_side(ways, rounds=21)
    more = (times["inbox"] - times["archive"]) * 1000
    print(
        f"opening: {times['inbox'] * 1000:.1f} ms for 100,000, {times['archive'] * 1000:.1f} for 100"
    )
    yield Result("B7", "first rows of 100,000 messages − of 100, in ms", more, 10)


#: What answers a search of one word, written by hand: the index narrows, instr decides.
_BARE = """
WITH found AS MATERIALIZED (
  SELECT m.id AS id, m.received_at AS at FROM message_trigram AS t
  CROSS JOIN message_folded AS f ON f.message_id = t.rowid CROSS JOIN message AS m ON m.id = t.rowid
  WHERE message_trigram MATCH ? AND m.folder_id <> ? AND (
    instr(f.subject, ?) > 0 OR instr(f.body, ?) > 0 OR instr(f.senders, ?) > 0
    OR instr(f.recipients, ?) > 0 OR instr(f.attachments, ?) > 0))
SELECT n.total, p.* FROM (SELECT count(*) AS total FROM found) AS n
LEFT JOIN (SELECT message.* FROM found JOIN message USING (id)
           ORDER BY at DESC, message.id DESC LIMIT 50) AS p
"""
_SCAN = """
SELECT count(*) FROM message_folded AS f WHERE instr(f.subject, ?) > 0 OR instr(f.body, ?) > 0
  OR instr(f.senders, ?) > 0 OR instr(f.recipients, ?) > 0 OR instr(f.attachments, ?) > 0
"""


def searching(database: Database) -> Iterator[Result]:
    """B8: count and first 50 rows, beside the bare SQL and beside a scan."""
    connection = sqlite3.connect(database.path)
    erased = connection.execute("SELECT id FROM folder WHERE role = 'erased'").fetchone()[0]
    reading = database.reading()
    session = reading.__enter__()

    def bare(word: str) -> int:
        trigrams = " AND ".join(f'"{word[at : at + 3]}"' for at in range(len(word) - 2))
        rows = connection.execute(_BARE, (trigrams, erased, *[word] * 5)).fetchall()
        return int(rows[0][0])

    def scan(word: str) -> int:
        return int(connection.execute(_SCAN, [word] * 5).fetchone()[0])

    def ours(word: str) -> int:
        test = understand(word, date(2026, 5, 4)).test
        assert test is not None
        session.expire_all()
        # It is asked anew: what was found would be known.
        session.shared.of(ContentMasks).forget()
        return find_messages(session, test, UTC).total

    for word in (RARE, "stanmarsh", "the"):
        assert ours(word) == bare(word) == scan(word) > 0
    ways = {
        f"{way.__name__} {word}": partial(way, word)
        for word in (RARE, "stanmarsh")
        for way in (bare, ours)
    }
    times = side_by_side(ways | {"scan": lambda: scan(RARE)}, rounds=9)
    reading.__exit__(None, None, None)
    connection.close()
    for word, said in ((RARE, "rare word"), ("stanmarsh", "frequent word")):
        mine, plain = times[f"ours {word}"] * 1000, times[f"bare {word}"] * 1000
        print(f"{said}: {mine:.1f} ms, bare SQL {plain:.1f} ms, scan {times['scan'] * 1000:.0f} ms")
        yield Result("B8", f"search, {said}: (ours − 5 ms) / bare SQL", (mine - 5) / plain, 1.5)
    rare = times[f"ours {RARE}"] / times["scan"]
    yield Result("B8", "search, rare word / scan", rare, 0.1)


def mailbox(mail: list[bytes]) -> Iterator[Result]:
    """All of them, on mail of the demo."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        yield from taking_in(folder, random.Random(2).sample(mail, min(len(mail), 1_000)))
        database = fill(folder, mail)
        yield from opening(database)
        yield from searching(database)
        yield from rehearsing(database, client_of(database))
        yield from line_at_work(database, client_of)
        yield from lived_in(database.path, folder / "lived_in", client_of)
        yield from catching_up(database, LARGE)
    print(f"peak memory of the benchmark: {peak_memory()} KB")
