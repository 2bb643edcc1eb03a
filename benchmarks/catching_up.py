"""B10 and B11: a catch-up of 100,000 messages, and undoing it, beside the bare SQL that does it."""

import shutil
import sqlite3
import statistics
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from benchmarks.measuring import Result
from mnemic.core import CompiledRules, Given, Rule, read_rule
from mnemic.jobs.catch_up.planning import CatchUpPlan, prepare_catch_up
from mnemic.jobs.catch_up.running import start_catch_up, step_catch_up
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.store import Database
from mnemic.store.journal.undo import undo_run
from mnemic.store.line.catch_ups import get_job
from mnemic.store.line.rules import add_rule
from mnemic.store.mail.folders import ensure_folder
from mnemic.store.mail.message_views import stored_messages

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
RULES = 200
FOLDERS = 40
#: Messages in one transaction, of ours and of the bare SQL alike.
BATCH = 500
ROUNDS = 3


def make_rules(database: Database, messages: int) -> list[Rule]:
    """200 rules on senders and on words, which together move half of the mail."""
    with database.reading() as session:
        counted = session.connection().exec_driver_sql(
            "SELECT lower(sender_address), count(*) AS n FROM message GROUP BY 1 ORDER BY n DESC"
        )
        senders, wanted = [], messages // 2
        for address, count in counted:
            if count <= wanted:
                senders.append(address)
                wanted -= count
    rules = []
    for number in range(RULES):
        values = senders[number::RULES]
        when = (
            {"field": "from", "test": "is", "values": values}
            if values
            else {"field": "subject", "test": "words", "values": [f"wendleword{number}"]}
        )
        then = [{"do": "file", "folder": f"Half/{number % FOLDERS}"}]
        rules.append(read_rule({"name": f"r{number}", "when": when, "then": then}))
    with database.writing() as session:
        for number in range(FOLDERS):
            ensure_folder(session, f"Half/{number}")
        for rule in rules:
            add_rule(session, rule)
    return rules


def catch_up(database: Database) -> tuple[float, int]:
    """Seconds of a catch-up with all rules, batch by batch, and its run."""
    begun = time.perf_counter()
    with database.reading() as session:
        rows = session.connection().exec_driver_sql("SELECT id FROM rule").scalars()
        prepared = prepare_catch_up(session, CatchUpPlan(tuple(rows)), now=NOW)
    with database.writing() as session:
        job_id = start_catch_up(session, prepared, now=NOW).id
    more = True
    while more:
        with database.writing() as session:
            more = step_catch_up(session, job_id)
    seconds = time.perf_counter() - begun
    with database.reading() as session:
        job = get_job(session, job_id)
    assert job is not None
    assert job.run_id is not None
    return seconds, job.run_id


def reading_and_deciding(
    database: Database, rules: list[Rule], one_of: int = 1
) -> tuple[float, int]:
    """Seconds the core takes to read messages and decide, with why; how many are taken.

    Every one, or one of so many.
    """
    asked = [rule.model_copy(update={"runs": ("hand",)}) for rule in rules]
    compiled, taken = CompiledRules(asked, "hand"), 0
    with database.reading() as session:
        ids = list(session.connection().exec_driver_sql("SELECT id FROM message").scalars())[
            ::one_of
        ]
        around = MailboxCircumstances(session, NOW)
        begun = time.perf_counter()
        for message in stored_messages(session, iter(ids)):
            given = Given(message.state, around.of(message.received or NOW, message.id))
            taken += bool(compiled.explain(message, given).taken_by)
    return time.perf_counter() - begun, taken


def bare_changes(path: Path, run_id: int) -> float:
    """Seconds of the same changes, journal and trail by executemany, of one run's doing."""
    connection = connected(path)
    moves = connection.execute(
        "SELECT after, entity_id, before, rule_id FROM done.journal WHERE run_id = ?"
        " AND entity = 'message' ORDER BY entity_id DESC",
        (run_id,),
    ).fetchall()
    trails = connection.execute(
        "SELECT message_id, rule_id, rule_name, event, at, folder, labels, evidence, actions"
        " FROM done.trail ORDER BY message_id DESC"
    ).fetchall()
    begun = time.perf_counter()
    connection.execute("INSERT INTO run (id, at, actor, saying, messages, lasting)"
                       f" VALUES ({run_id}, 0, 'rules', '', 0, 0)")  # fmt: skip
    for at in range(0, len(moves), BATCH):
        batch, why = moves[at : at + BATCH], trails[at : at + BATCH]
        connection.execute("BEGIN IMMEDIATE")
        connection.executemany(
            "UPDATE message SET folder_id = ?, placed_at = 1777885200 WHERE id = ?",
            [(after, key) for after, key, _, _ in batch],
        )
        connection.executemany(
            "INSERT INTO journal (run_id, entity, entity_id, slot, before, after, rule_id)"
            f" VALUES ({run_id}, 'message', ?, 'folder_id', ?, ?, ?)",
            [(key, before, after, rule) for after, key, before, rule in batch],
        )
        connection.executemany(
            "INSERT INTO trail (message_id, rule_id, rule_name, event, at, folder, labels,"
            " evidence, actions) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
            why,
        )
        connection.execute("COMMIT")
    seconds = time.perf_counter() - begun
    connection.close()
    return seconds


def bare_undo(path: Path, run_id: int) -> float:
    """Seconds of putting everything back by executemany, in one transaction, journaled."""
    connection = connected(path)
    moves = connection.execute(
        "SELECT before, entity_id, after FROM journal WHERE run_id = ? AND entity = 'message'",
        (run_id,),
    ).fetchall()
    begun = time.perf_counter()
    connection.execute("BEGIN IMMEDIATE")
    connection.execute("INSERT INTO run (id, at, actor, saying, messages, lasting)"
                       f" VALUES ({run_id + 1}, 0, 'person', '', 0, 0)")  # fmt: skip
    connection.executemany(
        "UPDATE message SET folder_id = ?, placed_at = 1777885201 WHERE id = ?",
        [(before, key) for before, key, _ in moves],
    )
    connection.executemany(
        "INSERT INTO journal (run_id, entity, entity_id, slot, before, after)"
        f" VALUES ({run_id + 1}, 'message', ?, 'folder_id', ?, ?)",
        [(key, after, before) for before, key, after in moves],
    )
    connection.execute("COMMIT")
    seconds = time.perf_counter() - begun
    connection.close()
    return seconds


def connected(path: Path) -> sqlite3.Connection:
    """A connection as Mnemic's own, with the database that ours has changed beside it."""
    connection = sqlite3.connect(path, isolation_level=None)
    for pragma in ("synchronous = FULL", "secure_delete = ON", "cache_size = -65536",
                   "temp_store = MEMORY", "wal_autocheckpoint = 8000"):  # fmt: skip
        connection.execute(f"PRAGMA {pragma}").close()
    connection.execute("ATTACH ? AS done", (str(path.parent.parent / "ours" / path.name),))
    return connection


_CATCH_UP = """
import sys
from pathlib import Path
from benchmarks.catching_up import catch_up
from benchmarks.measuring import peak_memory
from mnemic.store import Database
database = Database(Path(sys.argv[1]))
catch_up(database)
database.close()
print(peak_memory())
"""


def peak_of_catch_up(path: Path) -> int:
    """Peak memory of a catch-up in a process of its own, in KB."""
    words = [sys.executable, "-c", _CATCH_UP, str(path)]
    return int(subprocess.run(words, check=True, stdout=subprocess.PIPE).stdout)  # noqa: S603


def copied(source: Path, folder: Path) -> Path:
    """A copy of a database that nobody uses at the moment."""
    folder.mkdir(parents=True)
    for file in source.parent.glob(f"{source.name}*"):
        shutil.copy(file, folder / file.name)
    return folder / source.name


@dataclass
class Round:
    """Seconds of each part, all on copies of one database."""

    deciding: float
    ours: float
    bare: float
    undoing: float
    bare_undoing: float


def one_round(source: Path, place: Path, rules: list[Rule], messages: int) -> Round:
    """Do it all once; what is done is looked at, too."""
    bare, ours = copied(source, place / "bare"), Database(copied(source, place / "ours"))
    deciding, taken = reading_and_deciding(ours, rules)
    seconds, run_id = catch_up(ours)
    with ours.reading() as session:
        count = "SELECT count(*) FROM journal WHERE slot = 'folder_id'"
        moved = session.connection().exec_driver_sql(count).scalar_one()
    assert taken == moved
    assert abs(moved - messages / 2) < messages / 50, moved
    bare_seconds = bare_changes(bare, run_id)
    begun = time.perf_counter()
    with ours.writing() as session:
        undone = undo_run(session, run_id, at=int(NOW.timestamp()) + 1)
    undoing = time.perf_counter() - begun
    assert undone is not None
    assert (undone.restored, undone.left_alone) == (moved, 0)
    ours.close()
    done = Round(deciding, seconds, bare_seconds, undoing, bare_undo(bare, run_id))
    shutil.rmtree(place / "bare")
    shutil.rmtree(place / "ours")
    return done


def catching_up(database: Database, messages: int) -> Iterator[Result]:
    """B10 and B11, of rounds the median. Closes the database."""
    rules = make_rules(database, messages)
    database.close()
    source, place = database.path, database.path.parent.parent
    rounds = [one_round(source, place, rules, messages) for _ in range(ROUNDS)]
    print("catch-up, seconds:", *rounds, sep="\n  ")

    def median(figure: Callable[[Round], float]) -> float:
        return statistics.median(map(figure, rounds))

    what = "catch-up: (ours − reading and deciding) / bare SQL"
    beyond = median(lambda round_: (round_.ours - round_.deciding) / round_.bare)
    yield Result("B10", what, beyond, 1.5)
    undoing = median(lambda round_: round_.undoing / round_.bare_undoing)
    yield Result("B11", "undo of that run / bare SQL", undoing, 1.5)
    peak = peak_of_catch_up(copied(source, place / "whole"))
    small = copied(source, place / "small")
    connection = sqlite3.connect(small)
    connection.execute("PRAGMA foreign_keys = ON")
    connection.execute("DELETE FROM message WHERE id % 10 <> 0")
    connection.commit()
    connection.close()
    few = peak_of_catch_up(small)
    yield Result("B10", "catch-up, peak memory, 100,000 / 10,000 messages", peak / few, 1.1)
