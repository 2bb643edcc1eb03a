"""What lists are counted from: held equal to plain SQL after every step that changes mail."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from threading import Barrier
from time import sleep
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlmodel import Session

from mnemic.core import parse_message, read_rule
from mnemic.jobs import take_in
from mnemic.jobs.catch_up.clearing_out import clear_out
from mnemic.jobs.people.acts import act
from mnemic.jobs.people.folders_and_labels import delete_label
from mnemic.store import Database
from mnemic.store.engine.driver import driver
from mnemic.store.journal.undo import GoneForGoodError, undo_run
from mnemic.store.mail import renewed as renewed_module
from mnemic.store.mail.correspondents import Part, Side, _RenewedCounts, correspondents
from mnemic.store.mail.folders import folder_with_role
from mnemic.store.mail.label_bearers import messages_bearing
from mnemic.store.mail.labels import label_called, label_names, list_labels
from mnemic.store.mail.listing import list_messages
from mnemic.store.mail.message_kinds import count_kinds
from mnemic.store.search.selection import Selection

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
AT = int(NOW.timestamp())

BEARING = (
    "SELECT m.id, m.seen FROM message AS m JOIN message_label AS b ON b.message_id = m.id"
    " WHERE m.folder_id <> ? AND b.label_id = ? ORDER BY m.received_at DESC, m.id DESC"
)
PEOPLE = (
    "SELECT ma.message_id, a.local, a.domain FROM message_address AS ma"
    " JOIN address AS a ON a.id = ma.address_id WHERE a.domain <> '' AND ma.header IN ({})"
)
KINDS = "SELECT kind, count(*) FROM message WHERE folder_id <> ? GROUP BY kind"


SENDERS = ["A <a@x.example>", "Ann <A@X.example>, b@x.example", "ann@y.example", "undisclosed"]


def arrive(session: Session, number: int) -> None:
    bulk = "Precedence: bulk\nList-Id: <n.x.example>\n" if number % 2 else ""
    people = f"From: {SENDERS[number]}\nTo: {SENDERS[number - 1]}\nCc: {SENDERS[number]}\n"
    message = parse_message(f"{people}{bulk}Subject: {number}\n\nx\n".encode())
    take_in(session, message, received=NOW - timedelta(hours=number % 3))


def does(name: str, **more: str) -> Callable[[Session, int], None]:
    written: Any = {"name": "r", "when": {"always": True}, "then": [{"do": name, **more}]}

    def step(session: Session, number: int) -> None:
        act(session, Selection(ids=(number,)), read_rule(written).then[0], at=AT)

    return step


def undo(session: Session, _number: int) -> None:
    ((run,),) = driver(session).execute("SELECT max(id) FROM run").fetchall()
    if run is not None:
        with suppress(GoneForGoodError):
            undo_run(session, run, at=AT)


def delete(session: Session, _number: int) -> None:
    label = label_called(session, "M")
    if label is not None:
        delete_label(session, label, at=AT)


def destroy(session: Session, number: int) -> None:
    does("erase")(session, number)
    clear_out(session, now=AT + 400 * 86_400)


SIDES: dict[Side, str] = {"from": "'from'", "recipient": "'to', 'cc'"}
PARTS: tuple[Part, ...] = ("address", "domain")

STEPS = [
    arrive,
    does("label", label="M"),
    does("label", label="N"),
    does("unlabel", label="M"),
    does("read"),
    does("archive"),
    does("erase"),
    undo,
    delete,
    destroy,
]


@pytest.mark.parametrize("many", [1, 10_000])  # all is read anew, or what has changed
@given(steps=st.lists(st.tuples(st.sampled_from(STEPS), st.integers(1, 3)), max_size=10))
@settings(max_examples=20, deadline=None)
def test_counts_and_pages_are_what_plain_sql_says(
    many: int, steps: list[tuple[Callable[[Session, int], None], int]]
) -> None:
    with pytest.MonkeyPatch.context() as patch, TemporaryDirectory() as folder:
        patch.setattr(renewed_module, "_MANY", many)
        database = Database(Path(folder) / "mnemic.sqlite3")
        for step, number in [(arrive, 1), (arrive, 2), (does("label", label="M"), 1), *steps]:
            with database.writing() as session:
                step(session, number)
                agree(session)  # a writer sees what it has done
            with database.reading() as session:
                agree(session)
        database.close()


def test_of_readers_that_ask_at_once_one_reads_all(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    with database.writing() as session:
        arrive(session, 1)
    read, all_ask, read_all = [], Barrier(3), _RenewedCounts.read_all

    def slowly(counts: Any, session: Session, newest: Any) -> Any:
        read.append(newest)
        sleep(0.1)
        return read_all(counts, session, newest)

    def ask(_: int) -> list[str]:
        with database.reading() as session:
            all_ask.wait(60)
            return [person.value for person in correspondents(session, "from", "address", "")]

    monkeypatch.setattr(_RenewedCounts, "read_all", slowly)
    with ThreadPoolExecutor(3) as threads:
        assert len({tuple(answer) for answer in threads.map(ask, range(3))}) == 1
    assert len(read) == 1


def agree(session: Session) -> None:
    erased, execute = folder_with_role(session, "erased"), driver(session).execute
    assert count_kinds(session) == dict(execute(KINDS, (erased,)).fetchall())
    labels = list_labels(session)
    assert {known_label.id: known_label.name for known_label in labels} == label_names(session)
    for label in labels:
        rows = execute(BEARING, (erased, label.id)).fetchall()
        ids = [key for key, _ in rows]
        assert (label.total, label.unread) == (len(rows), sum(not seen for _, seen in rows))
        assert sorted(messages_bearing(session, label.id)) == sorted(ids)
        page = list_messages(session, label_id=label.id, offset=1, limit=2)
        assert (page.total, [row.id for row in page.rows]) == (len(rows), ids[1:3])
    for side, headers in SIDES.items():
        for part in PARTS:
            counted = {
                person.value: person.messages for person in correspondents(session, side, part, "")
            }
            assert counted == written(session, headers, part)


def written(session: Session, headers: str, part: str) -> dict[str, int]:
    """How many messages have each value, as their rows say."""
    rows = driver(session).execute(PEOPLE.format(headers)).fetchall()
    having: dict[str, set[int]] = {}
    for message, local, domain in rows:
        value = domain if part == "domain" else f"{local}@{domain}"
        having.setdefault(value.lower(), set()).add(message)
    return {value: len(messages) for value, messages in having.items()}
