"""Backup and check: a copy that restores, and damage of every kind that is told."""

import sqlite3
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

import pytest

from mnemic.core import parse_message
from mnemic.core.actions import ColourAction, FileAction, LabelAction, MarkAction
from mnemic.jobs import take_in
from mnemic.jobs.people.acts import act
from mnemic.store import Database, StoreError
from mnemic.store.engine.backup import back_up, check_database
from mnemic.store.mail.listing import count_messages
from mnemic.store.mail.messages import octets_of
from mnemic.store.search.selection import Selection

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
MAIL = b"From: a@x.example\nSubject: permit\n\nberth \xff"


@pytest.fixture
def filled(database: Database) -> Database:
    with database.writing() as session:
        for number in range(3):
            take_in(session, parse_message(MAIL + b"%d" % number), received=NOW)
        first = Selection(ids=(1,))
        act(session, first, FileAction(do="file", folder="A"), at=1)
        act(session, first, LabelAction(do="label", label="L"), at=1)
        act(session, first, MarkAction(do="flag"), at=1)
        act(session, first, ColourAction(do="colour", colour="moss"), at=1)
    return database


def test_a_backup_is_taken_while_mail_comes_in_and_restores_with_a_copy(
    filled: Database, tmp_path: Path
) -> None:
    target = tmp_path / "copy" / "mnemic.sqlite3"
    target.parent.mkdir()
    with filled.writing() as session:
        take_in(session, parse_message(b"Subject: not on disk yet\n\n"), received=NOW)
        back_up(filled.path, target)
    restored = Database(target)
    with restored.reading() as session:
        assert count_messages(session) == 3
        stored = octets_of(session, 1)
        assert stored is not None
        assert stored == MAIL + b"0"
    restored.close()
    assert list(check_database(target)) == []
    with pytest.raises(StoreError, match="is there already"):
        back_up(filled.path, target)
    with pytest.raises(StoreError, match="no mailbox here"):
        back_up(tmp_path / "nowhere", tmp_path / "x")
    with pytest.raises(StoreError, match="nothing was written"):
        back_up(filled.path, tmp_path / "no" / "folder" / "x")
    assert not (tmp_path / "x").exists()


DAMAGE = [
    ("DELETE FROM message_octets WHERE message_id = 2", "1 messages without their octets"),
    ("DELETE FROM message_text WHERE message_id = 2", "1 messages without their text"),
    ("UPDATE message_octets SET octets = x'00', packed = NULL WHERE message_id = 2", "1 messages whose octets are not those that came"),
    ("UPDATE message_octets SET packed = x'00' WHERE message_id = 2", "1 messages whose octets are not those that came"),
    ("UPDATE message_text SET packed = substr(packed, 1, 9) WHERE message_id = 2", "1 messages whose text can’t be read"),
    ("UPDATE message SET folder_id = 99 WHERE id = 2", "1 messages in a folder that is not there"),
    ("UPDATE message SET folder_id = 1 WHERE id = 1", "1 messages that are not where the journal says"),
    ("UPDATE message SET flagged = 0 WHERE id = 1", "1 messages that are not flagged as the journal says"),
    ("UPDATE message SET colour = NULL WHERE id = 1", "1 messages that are not coloured as the journal says"),
    ("DELETE FROM message_label", "1 messages not labelled as the journal says"),
    ("UPDATE journal SET run_id = 99", "2 changes that belong to no run"),
    ("DELETE FROM message_folded WHERE message_id = 3", "1 messages that can’t be found by search"),
]  # fmt: skip


@pytest.mark.parametrize(("damage", "said"), DAMAGE)
def test_what_is_wrong_is_told(filled: Database, damage: str, said: str) -> None:
    assert list(check_database(filled.path)) == []
    with closing(sqlite3.connect(filled.path)) as connection:
        connection.execute(damage)
        connection.commit()
    faults = list(check_database(filled.path))
    assert any(sentence.partition(" ")[2] == said.partition(" ")[2] for sentence in faults), faults


def test_a_file_that_is_no_database_is_told(tmp_path: Path) -> None:
    path = tmp_path / "x"
    path.write_bytes(b"no database at all" * 100)
    assert "can’t be read" in next(iter(check_database(path)))
