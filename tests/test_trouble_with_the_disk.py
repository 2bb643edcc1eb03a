"""A full disk and a read-only database: told clearly, nothing lost, and gone on with afterwards."""

import smtplib
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import event

from mnemic.core import NoRoomError, parse_message, read_rule
from mnemic.jobs import take_in
from mnemic.jobs.catch_up import CatchUpPlan
from mnemic.server import Server
from mnemic.settings import Settings
from mnemic.store import Database, StoreError
from mnemic.store import database as store_database
from mnemic.store.backup import check_database
from mnemic.store.catch_ups import get_job
from mnemic.store.rules import add_rule
from tests.api.test_api import Caller, call, made  # noqa: F401 -- a fixture
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
    call: Caller,  # noqa: F811
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
    subjects = sorted(each["subject"] for each in listed)
    assert subjects == sorted(f"permit {each}" for each in [*acknowledged, 99])
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
        assert server._worker.problem == ""


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
