"""The database file: migrations, pragmas, and mail kept byte for byte."""

import sqlite3
import threading
from contextlib import ExitStack
from datetime import UTC, datetime
from importlib import resources
from pathlib import Path

import numpy as np
import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import create_engine, text
from sqlmodel import SQLModel

from mnemic.core import Envelope, parse_message, read_rule, take
from mnemic.core.search import understand
from mnemic.jobs import take_in
from mnemic.jobs.intake.older_mail import bring_over
from mnemic.store import Database, StoreError
from mnemic.store.engine.driver import driver
from mnemic.store.engine.reader_cache import ReaderCache, cache_of
from mnemic.store.engine.tables import PreferenceRow
from mnemic.store.mail.folders import ensure_folder, list_folders
from mnemic.store.mail.listing import list_messages
from mnemic.store.mail.message_views import stored_messages
from mnemic.store.mail.messages import octets_of
from mnemic.store.mail.packed_mail import left_to_pack
from mnemic.store.search.finding import find_messages

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)


@pytest.mark.filterwarnings("ignore:.*expression-based index")
def test_migrations_make_the_tables_that_the_models_describe(database: Database) -> None:
    with database.reading() as session:
        # The trigram index is a virtual table, which models don't describe.
        own = {"include_name": lambda name, *_: not str(name).startswith("message_trigram")}
        context = MigrationContext.configure(session.connection(), opts=own)
        assert compare_metadata(context, SQLModel.metadata) == []


def test_every_connection_is_careful(database: Database) -> None:
    for opened in (database.reading, database.writing):
        with opened() as session:
            asked = ("journal_mode", "foreign_keys", "synchronous")
            pragmas = [
                session.connection().execute(text(f"PRAGMA {asking}")).scalar() for asking in asked
            ]
            assert pragmas == ["wal", 1, 2]


def test_what_raises_is_undone_whole(database: Database) -> None:
    def fails_half_way() -> None:
        with database.writing() as session:
            take_in(session, parse_message(b"Subject: x\n\n"), received=NOW)
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        fails_half_way()
    with database.reading() as session:
        assert list_messages(session, folder_id=1).total == 0


def test_a_database_of_a_newer_mnemic_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "mnemic.sqlite3"
    Database(path).close()
    with sqlite3.connect(path) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    connection.close()
    with pytest.raises(StoreError, match="newer"):
        Database(path)


def test_a_file_that_is_no_database_is_said_to_be_none(tmp_path: Path) -> None:
    path = tmp_path / "mnemic.sqlite3"
    path.write_bytes(b"certainly not SQLite" * 100)
    with pytest.raises(StoreError, match="not a database"):
        Database(path)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=30)
@given(
    st.binary(max_size=200),
    st.lists(st.sampled_from(["a@x.example", "Büro@bücher.example", "x"]), max_size=3),
)
def test_octets_are_kept_and_rules_see_stored_mail_as_they_saw_it_arrive(
    database: Database, tail: bytes, recipients: list[str]
) -> None:
    octets = b"From: \xff <A@B.example>\nTo: x@y.example\nSubject: s\xc3\xa4\n\n" + tail
    message = parse_message(octets, Envelope("", tuple(recipients)))
    with database.writing() as session:
        arrival = take_in(session, message, received=NOW)
    with database.reading() as session:
        stored = octets_of(session, arrival.message_id)
        assert stored is not None
        assert stored == octets
        view = next(stored_messages(session, iter([arrival.message_id])))
    for when in (
        {"field": "recipient", "test": "contains", "values": ["büro", "x"]},
        {"field": "body", "test": "contains", "values": ["a", "\ufffd"]},
        {"field": "from", "part": "any", "test": "wildcard", "values": ["?*@b.*"]},
    ):
        rule = read_rule({"name": "r", "when": when, "then": [{"do": "keep"}]})
        assert take(rule, view).took == take(rule, message).took


def test_what_a_reader_keeps_is_bounded_in_octets_also_what_grows() -> None:
    cache = ReaderCache((0, 0), most=100)

    def sizes(*keys: str) -> list[int]:
        """How many octets each has that is kept; asking makes them younger."""
        return [cache.get(key, lambda: np.empty(0)).nbytes for key in keys]

    cache.keep("old", np.zeros(40, np.uint8))
    cache.keep("newer", np.zeros(40, np.uint8))
    assert sizes("old") == [40]
    cache.keep("newest", np.zeros(30, np.uint8))  # what was asked for longest ago makes room
    assert cache.octets == 70
    assert sizes("old", "newer", "newest") == [40, 0, 30]
    cache.keep("newest", np.zeros(60, np.uint8))
    assert cache.octets == 100
    cache.keep("newest", np.zeros(101, np.uint8))  # more than there is room for
    assert sizes("old", "newest") == [40, 0]


def test_mail_that_an_older_mnemic_kept_is_brought_up_to_date(tmp_path: Path) -> None:
    path = tmp_path / "mnemic.sqlite3"
    engine = create_engine(f"sqlite:///{path}")
    config = Config()
    config.set_main_option("script_location", str(resources.files("mnemic.store") / "migrations"))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0001")
        octets = (
            b"List-Id: <news.x.example>\nFrom: Ann <ANN@x.example>\nSubject: A Permit\n\nberth\n"
        )
        connection.execute(
            text(
                "INSERT INTO message (id, digest, subject, sender_name, sender_address, preview,"
                " received_at, size, attachments, folder_id, seen)"
                " VALUES (1, x'00', 'A Permit', '', '', '', 7, 1, 0, 1, 0)"
            )
        )
        connection.execute(
            text("INSERT INTO message_octets (message_id, octets) VALUES (1, :octets)"),
            {"octets": octets},
        )
        connection.execute(text("INSERT INTO message_text (message_id, body) VALUES (1, 'berth')"))
        connection.execute(
            text(
                "INSERT INTO message_address (message_id, header, name, local, domain)"
                " VALUES (1, 'from', 'Ann', 'ANN', 'x.example')"
            )
        )
        connection.execute(text("INSERT INTO folder (name) VALUES ('archive')"))
    engine.dispose()
    database = Database(path)
    with database.reading() as session:
        test = understand("permit from:ann kind:newsletter", NOW.date()).test
        assert test is not None
        (row,) = find_messages(session, test, UTC).rows
        assert (row.list_id, row.placed_at, row.flagged) == ("news.x.example", 7, False)
        senders = session.connection().execute(text("SELECT canonical FROM address"))
        assert senders.scalars().all() == ["ann@x.example"]
        roles = {folder.path: folder.role for folder in list_folders(session)}
        assert roles["archive"] == "archive"  # the folder that was there took the role
    for left in (1, 0):  # as it lay, and brought over
        with database.reading() as session:
            assert left_to_pack(session) == left
            assert octets_of(session, 1) == octets
            (message,) = stored_messages(session, iter([1]))
            assert (message.body, message.parsed.octets) == ("berth", octets)
            lies = text("SELECT octets, body FROM message_octets JOIN message_text")
            assert session.connection().execute(lies).one() == (
                (octets, "berth") if left else (b"", "")
            )
        bring_over(database, threading.Event())
    database.close()


def test_free_room_is_much_where_it_is_a_quarter_of_the_file(database: Database) -> None:
    with database.writing() as session:
        session.add(PreferenceRow(name="large", value="x" * 12_000_000))
    assert not database.has_much_free_room()
    with database.writing() as session:
        session.connection().execute(text("DELETE FROM preference WHERE name = 'large'"))
    assert database.has_much_free_room()
    database.compact()
    assert not database.has_much_free_room()


def test_what_a_reader_has_worked_out_is_found_again_after_others_read_at_once(
    database: Database,
) -> None:
    with ExitStack() as readers:
        for _ in range(4):
            cache_of(readers.enter_context(database.reading()))  # it is connected now
    made: list[int] = []
    for _ in range(4):
        with database.reading() as session:
            cache_of(session).get("worked out", lambda: made.append(1))
    assert made == [1]


def test_rows_that_nobody_read_to_their_end_keep_no_earlier_state(database: Database) -> None:
    with database.reading() as session:
        rows = driver(session).execute("SELECT id FROM folder")
        assert rows.fetchone() is not None
    with database.writing() as session:
        ensure_folder(session, "Permits")
    with database.reading() as session:
        assert "Permits" in [folder.path for folder in list_folders(session)]
    with pytest.raises(sqlite3.ProgrammingError):
        rows.fetchone()
