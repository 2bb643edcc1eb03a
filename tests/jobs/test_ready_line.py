"""What the line's conditions say of the mail is ready before anybody asks."""

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from threading import Semaphore
from typing import Any, cast

import pytest

from mnemic.core import parse_message, read_rule
from mnemic.core.fields import BaseCondition
from mnemic.core.rules.reading import read_test
from mnemic.jobs import take_in
from mnemic.jobs.line.ready_line import keep_line_ready
from mnemic.store import Database
from mnemic.store.conditions_sql.ids import IdRange
from mnemic.store.line.rules import add_rule
from mnemic.store.mail.correspondents import Side, _RenewedCounts, correspondents
from mnemic.store.search.content_masks import ContentMasks

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
HEADER = {"field": "header", "name": "X-Org", "test": "contains", "values": ["yes"]}
SUBJECT = {"field": "subject", "test": "contains", "values": ["hello"]}
OFF = {"field": "subject", "test": "contains", "values": ["off"]}
STATE = {"field": "seen", "test": "is", "values": [True]}


@contextmanager
def running(database: Database) -> Iterator[None]:
    stopping = threading.Event()
    thread = threading.Thread(target=keep_line_ready, args=(database, stopping))
    thread.start()
    yield
    stopping.set()
    thread.join(timeout=60)
    assert not thread.is_alive()


def known(database: Database, written: dict[str, Any]) -> list[bool] | None:
    """What is known of a condition for the two messages here; None where nothing is."""

    def ask(_: IdRange) -> Any:
        raise LookupError

    condition = read_test(written)
    assert isinstance(condition, BaseCondition)
    with database.reading() as session:
        try:
            mask = session.shared.of(ContentMasks).of(condition, IdRange(0, 2), ask)
        except LookupError:
            return None
    return [bool(bit) for bit in mask]


def becomes_known(database: Database, written: dict[str, Any]) -> list[bool]:
    for _ in range(200):
        if (mask := known(database, written)) is not None:
            return mask
        time.sleep(0.05)
    pytest.fail("it is not made ready")


def test_addresses_are_counted_before_the_first_is_typed(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    with database.writing() as session:
        message = parse_message(b"From: a@x.example\nTo: b@x.example\n\n")
        take_in(session, message, received=NOW)
    counted, read_all = Semaphore(0), _RenewedCounts.read_all

    def counting(counts: Any, session: Any, newest: Any) -> Any:
        read = read_all(counts, session, newest)
        counted.release()
        return read

    monkeypatch.setattr(_RenewedCounts, "read_all", counting)
    with running(database):
        assert all(counted.acquire(timeout=60) for _ in ("from", "recipient"))
    with database.reading() as session:
        for side, address in (("from", "a@x.example"), ("recipient", "b@x.example")):
            read = correspondents(session, cast(Side, side), "address", "x")
            assert [person.value for person in read] == [address]
    assert not counted.acquire(blocking=False), "it is counted anew for who asks"


def test_rules_that_are_on_are_made_ready_and_those_that_come_later(database: Database) -> None:
    with database.writing() as session:
        for extra in ("X-Org: yes\n", ""):
            octets = f"From: a@x.example\n{extra}Subject: hello\n\nhi {extra}".encode()
            take_in(session, parse_message(octets), received=NOW)
        when = {"all": [HEADER, STATE]}
        add_rule(session, read_rule({"name": "r", "when": when, "then": [{"do": "flag"}]}))
        off = {"name": "off", "when": OFF, "then": [{"do": "flag"}], "enabled": False}
        add_rule(session, read_rule(off))
    with running(database):
        assert becomes_known(database, HEADER) == [True, False]
        assert known(database, SUBJECT) is None
        with database.writing() as session:
            rule = {"name": "s", "when": {"always": True}, "unless": SUBJECT, "then": [{"do": "read"}]}  # fmt: skip
            add_rule(session, read_rule(rule))
        assert becomes_known(database, SUBJECT) == [True, True]
    assert known(database, OFF) is None
    assert known(database, STATE) is None, "what may change is not kept"
