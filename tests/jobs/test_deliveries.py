"""Mail delivered at the same time: taken in together, each told of its own fate."""

import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

import pytest

from mnemic.core import Envelope, NoRoomError
from mnemic.jobs.intake.arrival import Arrival
from mnemic.jobs.intake.deliveries import Deliveries
from mnemic.post import Delivery
from mnemic.store import Database
from mnemic.store.engine.sql import fetch
from mnemic.store.mail.messages import add_message

SENDERS = 8


def letter(number: int) -> Delivery:
    octets = f"Message-ID: <{number}@x.example>\r\nSubject: {number}\r\n\r\n".encode()
    return Delivery(octets, Envelope("a@x.example", ("b@x.example",)))


def all_at_once(database: Database, desk: Deliveries, letters: Sequence[Delivery]) -> list[object]:
    """Deliver them while the mailbox is being written: they have to wait, all of them."""
    with ThreadPoolExecutor(len(letters)) as pool:
        with database.writing():
            held = [pool.submit(desk.deliver, delivery) for delivery in letters]
            time.sleep(1.0)
        return [waiting.exception(timeout=60) for waiting in held]


def subjects(database: Database) -> list[str]:
    with database.reading() as session:
        return sorted(subject for (subject,) in fetch(session, "SELECT subject FROM message"))


def test_what_waits_is_taken_in_by_few_transactions_and_once(database: Database) -> None:
    heard: list[Sequence[Arrival]] = []
    desk = Deliveries(database, heard.append)
    before = database.write_queue.begun
    letters = [letter(number % 6) for number in range(SENDERS)]  # two of them are sent again
    assert all_at_once(database, desk, letters) == [None] * SENDERS
    assert subjects(database) == [str(number) for number in range(6)]
    assert sum(map(len, heard)) == 6
    # Ours, the first one's, and the rest together; on a slow machine some may come late.
    assert database.write_queue.begun - before <= SENDERS // 2


def test_one_that_cannot_be_taken_in_keeps_no_other_out(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    heard = list[Sequence[Arrival]]()

    def refuse_three(session, message, **values):  # type: ignore[no-untyped-def]
        if message.subject == "3":
            raise ValueError("three is out")
        return add_message(session, message, **values)

    monkeypatch.setattr("mnemic.jobs.intake.arrival.add_message", refuse_three)
    outcomes = all_at_once(
        database, Deliveries(database, heard.append), list(map(letter, range(SENDERS)))
    )
    assert [type(outcome) for outcome in outcomes] == [
        ValueError if number == 3 else type(None) for number in range(SENDERS)
    ]
    assert subjects(database) == [str(at) for at in range(SENDERS) if at != 3]
    assert sum(map(len, heard)) == SENDERS - 1


def test_where_the_disk_is_full_every_sender_keeps_its_message(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    def no_room(*_: object, **__: object) -> int:
        raise NoRoomError("the disk is full")

    monkeypatch.setattr("mnemic.jobs.intake.arrival.add_message", no_room)
    outcomes = all_at_once(
        database, Deliveries(database, lambda _: None), list(map(letter, range(SENDERS)))
    )
    assert all(isinstance(outcome, NoRoomError) for outcome in outcomes)
    assert subjects(database) == []
