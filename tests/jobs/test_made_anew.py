"""Folders and labels that are deleted, and made anew before that is undone."""

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

import pytest
from sqlmodel import Session, col, select

from mnemic.core import parse_message, read_rule
from mnemic.jobs import take_in
from mnemic.jobs.people.acts import act
from mnemic.jobs.people.folders_and_labels import (
    change_label,
    delete_folder,
    delete_label,
    make_folder,
    make_label,
    move_folder,
)
from mnemic.store import Database
from mnemic.store.engine.tables import RunRow
from mnemic.store.journal.undo import NameTakenError, undo_run
from mnemic.store.mail.folders import folder_at, folder_paths
from mnemic.store.mail.labels import label_called, labels_of
from mnemic.store.mail.messages import message_row
from mnemic.store.search.selection import Selection

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
AT = int(NOW.timestamp())


@pytest.fixture
def session(database: Database) -> Iterator[Session]:
    with database.writing() as session:
        yield session


@pytest.fixture
def ids(session: Session) -> list[int]:
    """Two messages."""
    mail = [parse_message(f"Subject: {number}\n\n".encode()) for number in range(2)]
    return [take_in(session, message, received=NOW).message_id for message in mail]


def does(session: Session, message_id: int, **action: str) -> None:
    written: Any = {"name": "r", "when": {"always": True}, "then": [action]}
    act(session, Selection(ids=(message_id,)), read_rule(written).then[0], at=AT)


def where(session: Session, message_id: int) -> str:
    row = message_row(session, message_id)
    assert row is not None
    return folder_paths(session)[row.folder_id]


@pytest.mark.parametrize("anew", ["Later", "permit", "Permit"])
def test_a_label_comes_back_to_its_mail_whatever_was_made_since(
    session: Session, ids: list[int], anew: str
) -> None:
    does(session, ids[0], do="label", label="Permit")
    gone = label_called(session, "Permit")
    assert gone is not None
    deleted = delete_label(session, gone, at=AT)
    assert deleted is not None
    assert make_label(session, anew, None, at=AT) != gone  # its id is not given again
    does(session, ids[1], do="label", label=anew)
    undone = undo_run(session, deleted, at=AT)
    assert undone is not None
    back = "Permit" if anew == "Later" else anew  # what stands has the name: it is the same label
    assert labels_of(session, ids) == {ids[0]: [back], ids[1]: [anew]}
    assert undone.left_alone == 0
    assert undone.run_id is not None
    again = undo_run(session, undone.run_id, at=AT)  # deleted once more
    assert again is not None
    assert labels_of(session, ids) == {ids[1]: [anew]}


@pytest.mark.parametrize("anew", ["Other", "Quays", "Quays/North"])
def test_mail_comes_back_to_its_folder_whatever_was_made_since(
    session: Session, ids: list[int], anew: str
) -> None:
    does(session, ids[0], do="file", folder="Quays")
    does(session, ids[1], do="file", folder="Quays/North")
    gone = [folder_at(session, path) for path in ("Quays", "Quays/North")]
    assert gone[0] is not None
    deleted = delete_folder(session, gone[0], at=AT)
    assert deleted is not None
    assert [folder_at(session, path) for path in ("Quays", "Quays/North")] == [None, None]
    assert make_folder(session, anew, at=AT) not in gone
    undone = undo_run(session, deleted, at=AT)
    assert undone is not None
    assert undone.left_alone == 0
    assert [where(session, key) for key in ids] == ["Quays", "Quays/North"]
    assert undone.run_id is not None
    assert undo_run(session, undone.run_id, at=AT) is not None
    assert not {where(session, key) for key in ids} & {"Quays", "Quays/North"}


def test_a_name_that_is_in_use_again_is_not_taken_back(session: Session) -> None:
    label = make_label(session, "Permit", None, at=AT)
    folder = make_folder(session, "Quays", at=AT)
    change_label(session, label, name="Permits", colour="moss", at=AT)
    move_folder(session, folder, name="Berths", parent_id=None, at=AT)
    renamed = [row.id for row in session.exec(select(RunRow).order_by(col(RunRow.id)))][-2:]
    make_label(session, "permit", None, at=AT)
    make_folder(session, "quays", at=AT)
    for run, name in zip(renamed, ("Permit", "Quays"), strict=True):
        with pytest.raises(NameTakenError, match=f"another (label|folder) “{name}” now"):
            undo_run(session, run or 0, at=AT)
    assert label_called(session, "Permits") == label
    assert folder_at(session, "Berths") == folder
