"""An older mailbox opens with all that it held, told as before."""

import json
import sqlite3
from pathlib import Path

import pytest
from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine

import mnemic.store
from mnemic.store import Database
from mnemic.store.engine.database import NEWEST
from mnemic.store.engine.migrating import known_versions
from mnemic.store.journal.history import list_runs
from mnemic.store.journal.undo import undo_run
from mnemic.store.mail.folders import ensure_folder, folder_at
from mnemic.store.mail.labels import ensure_label, label_called, list_labels


def upgraded(path: Path, revision: str) -> sqlite3.Connection:
    config = Config()
    folder = Path(mnemic.store.__file__).parent / "migrations"
    config.set_main_option("script_location", str(folder))
    engine = create_engine(f"sqlite:///{path}")
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, revision)
    engine.dispose()
    return sqlite3.connect(path)


SAYINGS = {
    "Undone: 3 messages archived": "Undone: 3 messages archived",
    "Done again: 3 messages archived": "Done again: 3 messages archived",
    # What a fault once made of the third in a row.
    "Done again: in: in: 3 messages archived": "Done again: 3 messages archived",
    "Undone in part: Catch-up with 2 rules": "Undone in part: Catch-up with 2 rules",
}


@pytest.mark.filterwarnings("ignore:.*expression-based index")
def test_names_are_compared_and_runs_told_in_a_mailbox_of_before(tmp_path: Path) -> None:
    path = tmp_path / "mnemic.sqlite3"
    old = upgraded(path, "0006")
    with old:
        old.execute("INSERT INTO label (name, colour) VALUES ('Übung', 'moss')")
        old.execute("INSERT INTO folder (name) VALUES ('Straße')")
        old.execute(
            "INSERT INTO run (id, at, actor, saying, messages, lasting) VALUES (1, 1, 'person', 'Label “Übung” made', 0, 0)"
        )
        made = json.dumps({"id": 1, "name": "Übung", "colour": "moss"}, ensure_ascii=False)
        old.execute(
            "INSERT INTO journal (run_id, entity, entity_id, slot, after) VALUES (1, 'label', 1, 'row', ?)",
            [made],
        )
        for number, saying in enumerate(SAYINGS, 2):
            old.execute(
                "INSERT INTO run (id, at, actor, saying, messages, lasting, undoes) VALUES (?, ?, 'person', ?, 3, 0, 1)",
                [number, number, saying],
            )
            old.execute(
                "INSERT INTO journal (run_id, entity, entity_id, slot) VALUES (?, 'rule', 1, 'row')",
                [number],
            )
    old.close()
    database = Database(path)
    with database.writing() as session:
        assert ensure_label(session, "  ÜBUNG".strip()) == label_called(session, "übung") == 1
        assert folder_at(session, "STRASSE") == ensure_folder(session, "strasse")
        sayings = [run.saying for run in list_runs(session, before=None, limit=9)]
        assert sayings == [*list(SAYINGS.values())[::-1], "Label “Übung” made"]
        undone = undo_run(session, 1, at=9)  # what the journal kept is a whole row
        assert undone is not None
        assert (undone.restored, list_labels(session)) == (1, [])
    database.close()


def test_the_newest_version_is_known_without_reading_the_migrations() -> None:
    assert known_versions()[0] == NEWEST
