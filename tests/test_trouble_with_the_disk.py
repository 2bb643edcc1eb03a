"""A full disk and a read-only database: told clearly, nothing lost, and gone on with afterwards."""

import os
import smtplib
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import event

from mnemic.core import NoRoomError, parse_message, read_rule
from mnemic.jobs import take_in
from mnemic.jobs.catch_up.planning import CatchUpPlan
from mnemic.server import Server
from mnemic.settings import Settings
from mnemic.store import Database, StoreError
from mnemic.store.engine import database as store_database
from mnemic.store.engine.backup import check_database
from mnemic.store.line.catch_ups import get_job
from mnemic.store.line.rules import add_rule
from tests.api.caller import Caller, made
from tests.conftest import running
from tests.jobs.catching_up import start
from tests.jobs.test_daily import NOW

#: By what SQLite itself says then: a limit of pages is a disk of that size.
FULL = "PRAGMA max_page_count = {pages}"
READ_ONLY = "PRAGMA query_only = ON"


@contextmanager
def troubled(database: Database, trouble: str) -> Iterator[None]:
    """Each writing transaction meets the trouble."""

    def meet(connection: Any) -> None:
        pages = connection.exec_driver_sql("PRAGMA page_count").scalar()
        connection.exec_driver_sql(trouble.format(pages=pages))

    event.listen(database._writer, "begin", meet)
    yield
    event.remove(database._writer, "begin", meet)
    database._writer.dispose()  # what was set goes with the connections


def letter(number: int) -> bytes:
    head = f"Message-ID: <{number}@x.example>\r\nFrom: a@x.example\r\nSubject: permit {number}\r\n"
    return f"{head}\r\n{'text ' * 4_000}\r\n".encode()


def deliver_all(deliver: Callable[..., None], acknowledged: list[int]) -> None:
    while len(acknowledged) < 40:
        deliver(letter(len(acknowledged)))
        acknowledged.append(len(acknowledged))


def wait_until(come: Callable[[], bool]) -> None:
    for _ in range(200):
        if come():
            return
        time.sleep(0.05)
    raise AssertionError("it has not come")


TROUBLES = [
    (FULL, 452, 507, "the disk is full; make room"),
    (READ_ONLY, 451, 503, "can’t be written; look at the permissions"),
]


@pytest.mark.parametrize(("trouble", "smtp_code", "status", "said"), TROUBLES)
def test_trouble_is_told_nothing_is_lost_and_what_waited_goes_on(
    server: Server,
    call: Caller,
    deliver: Callable[..., None],
    trouble: str,
    smtp_code: int,
    status: int,
    said: str,
    tmp_path: Path,
) -> None:
    acknowledged: list[int] = []
    for number in range(5):
        deliver(letter(number))
        acknowledged.append(number)
    rule_id = made(call, name="r", then=[{"do": "file", "folder": "New place"}])
    job = call("POST", "api/catch-ups", {"rule_ids": [rule_id]})[1]  # a little one: done at once
    wait_until(lambda: call("GET", f"api/catch-ups/{job['id']}")[1]["state"] == "done")
    call("POST", "api/undo", {"run_id": job["run_id"]})
    drop = tmp_path / "data" / "drop"
    with troubled(server.database, trouble):
        with pytest.raises(smtplib.SMTPDataError) as refused:
            deliver_all(deliver, acknowledged)
        assert refused.value.smtp_code == smtp_code
        which = {"folder": 1}
        act = {"which": which, "do": {"do": "copy", "folder": "Elsewhere"}}
        code, problem = call("POST", "api/changes", act)
        assert (code, problem["status"]) == (status, status)
        assert said in problem["detail"]
        assert "Nothing was changed" in problem["detail"]
        assert call("GET", "api/messages?folder=1")[1]["total"] == len(acknowledged)  # still read
        (drop / "dropped.eml").write_bytes(letter(99))
        time.sleep(1.5)  # it is looked at, and stays where it is
        assert (drop / "dropped.eml").exists()
    wait_until(lambda: not (drop / "dropped.eml").exists())
    again = len(acknowledged)  # what was refused comes again, as from any mail server
    deliver(letter(again))
    acknowledged.append(again)
    listed = call("GET", "api/messages?find=permit&limit=100")[1]["messages"]
    subjects = sorted(message["subject"] for message in listed)
    assert subjects == sorted(f"permit {number}" for number in [*acknowledged, 99])
    assert list(check_database(server.database.path)) == []


def test_a_catch_up_waits_while_it_can_not_write_and_says_why(tmp_path: Path) -> None:
    server = Server(Settings(host="127.0.0.1", port=0, smtp_port=0, data=tmp_path))
    with server.database.writing() as session:
        for number in range(3):
            take_in(session, parse_message(letter(number)), received=NOW)
        when = {"always": True}
        rule = add_rule(session, read_rule({"name": "r", "when": when, "then": [{"do": "flag"}]}))
        job_id = start(session, CatchUpPlan((rule.id,)), now=NOW).id
    with ExitStack() as trouble, server:
        trouble.enter_context(troubled(server.database, READ_ONLY))
        server._worker.enqueue(job_id)
        wait_until(lambda: "can’t be written" in server._worker.problem)
        trouble.close()

        def is_done() -> bool:
            with server.database.reading() as session:
                job = get_job(session, job_id)
            return job is not None and job.state == "done" and '"marked":3' in job.report

        wait_until(is_done)
        wait_until(lambda: server._worker.problem == "")


def test_what_a_full_disk_interrupts_is_undone_whole(database: Database) -> None:
    def fill() -> None:
        with database.writing() as session:
            for number in range(50):
                take_in(session, parse_message(letter(number)), received=NOW)

    with troubled(database, FULL), pytest.raises(NoRoomError):
        fill()
    with database.reading() as session:
        assert session.connection().exec_driver_sql("SELECT count(*) FROM message").scalar() == 0
    assert list(check_database(database.path)) == []


def test_a_read_only_file_is_told_when_it_is_opened(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    pragmas = (*store_database._PRAGMAS, "query_only = ON")
    monkeypatch.setattr(store_database, "_PRAGMAS", pragmas)
    monkeypatch.setattr(
        Database,
        "_migrate",
        lambda self: self._writer.connect().exec_driver_sql("CREATE TABLE x (y)"),
    )
    with pytest.raises(StoreError, match="look at the permissions of the file"):
        Database(database.path)


def damage(path: Path, begin: float) -> None:
    """Overwrite the pages from that part of the file on."""
    octets = bytearray(path.read_bytes())
    pages = len(octets) // 4096
    for page in range(int(pages * begin), pages):
        octets[page * 4096 : page * 4096 + 4096] = b"\xa5" * 4096
    path.write_bytes(octets)


def test_a_damaged_mailbox_is_told_in_words_with_what_to_do(tmp_path: Path) -> None:
    path = tmp_path / "mnemic.sqlite3"
    with (
        running(tmp_path) as server,
        smtplib.SMTP("127.0.0.1", server.smtp_port, timeout=60) as client,
    ):
        for number in range(20):
            client.sendmail("a@x.example", ["b@x.example"], letter(number))
    damage(path, 0.7)  # octets and texts of messages
    with running(tmp_path) as server:
        answers = [Caller(server)("GET", f"api/messages/{number}") for number in range(1, 21)]
    details = [answer["detail"] for status, answer in answers if status == 503]
    assert {status for status, _ in answers} <= {200, 503}
    assert details
    assert all("“mnemic check”" in saying and "newest backup" in saying for saying in details)
    damage(path, 0.02)  # nearly all of it
    with pytest.raises(StoreError, match="the file is damaged; stop Mnemic"):
        Server(Settings(host="127.0.0.1", port=0, smtp_port=0, data=tmp_path))


def test_a_damaged_queue_is_made_anew(tmp_path: Path) -> None:
    (tmp_path / "queue.sqlite3").write_bytes(b"not SQLite's" * 1_000)
    with running(tmp_path) as server:
        rule_id = made(Caller(server), name="r")
        job = Caller(server)("POST", "api/catch-ups", {"rule_ids": [rule_id]})[1]
        wait_until(
            lambda: Caller(server)("GET", f"api/catch-ups/{job['id']}")[1]["state"] == "done"
        )


@pytest.mark.parametrize("name", ["drop", "incoming"])
def test_a_file_where_a_folder_has_to_be_is_said_at_the_start(tmp_path: Path, name: str) -> None:
    (tmp_path / name).write_text("a file", "utf-8")
    environment = {**os.environ, "MNEMIC_DATA": str(tmp_path), "MNEMIC_PORT": "0", "MNEMIC_SMTP_PORT": "0"}  # fmt: skip
    words = [sys.executable, "-m", "mnemic", "serve"]
    done = subprocess.run(words, env=environment, capture_output=True, text=True, timeout=60, check=False)  # fmt: skip
    assert done.returncode != 0
    assert f"{name}" in done.stderr
    assert "a file stands where a folder has to be; move it away" in done.stderr
    assert "Traceback" not in done.stderr
