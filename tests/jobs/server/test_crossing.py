"""A person takes mail to another mailbox: its copy is sure there before the original goes."""

from datetime import UTC, datetime
from pathlib import Path

import pytest

from mnemic.core import parse_message
from mnemic.jobs.intake.arrival import take_in
from mnemic.jobs.people.acts import NotAnActError, PlainAct, act
from mnemic.jobs.shared.watched import WatchedError
from mnemic.store.engine.sql import fetch
from mnemic.store.journal.undo import undo_run
from mnemic.store.mail.folders import LOCAL, folder_with_role
from mnemic.store.mail.labels import ensure_label, put_labels
from mnemic.store.search.selection import Selection
from mnemic.store.server.connections import set_acting
from tests.jobs.server.both_sides import BothSides, both_sides

OCTETS = b"From: a@x.example\nSubject: deeds\nMessage-ID: <deeds@x.example>\n\nno end"
AT = int(datetime.now(UTC).timestamp())


def local_message(both: BothSides) -> int:
    with both.database.writing() as session:
        arrival = take_in(session, parse_message(OCTETS), received=datetime(2026, 5, 4, tzinfo=UTC))
        put_labels(session, arrival.message_id, [ensure_label(session, "Deed")])
        return arrival.message_id


def move(both: BothSides, message_id: int, role: str, mailbox_id: int) -> int:
    with both.database.writing() as session:
        folder = folder_with_role(session, role, mailbox_id)  # type: ignore[arg-type] # a role
        done = act(
            session,
            Selection(ids=(message_id,)),
            PlainAct(do="move_to", folder=folder),
            at=AT,
        )
        assert done.saying.startswith("1 message moved to")
        return done.run_id or 0


def lying(both: BothSides) -> list[tuple[int, str]]:
    """The mailbox and the special folder of each message, those that are erased left out."""
    with both.database.reading() as session:
        return fetch(
            session,
            "SELECT m.mailbox_id, f.role FROM message AS m JOIN folder AS f ON f.id = m.folder_id"
            " WHERE f.role <> 'erased' ORDER BY m.id",
        )


def account_mailbox(both: BothSides) -> int:
    with both.database.reading() as session:
        return int(fetch(session, "SELECT mailbox_id FROM connection")[0][0])


def test_to_the_server_and_back_by_undo(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.sync()
        office = account_mailbox(both)
        run = move(both, local_message(both), "archive", office)
        assert lying(both) == [(LOCAL, "inbox"), (office, "archive")]  # until it is sure there
        both.sync()
        assert lying(both) == [(office, "archive")]
        assert both.where_there("<deeds@x.example>") == ["Archive"]
        both.compare()  # with its label as a keyword
        assert both.device.select("Archive")[0] == "OK"
        fetched = both.device.fetch("1", "(BODY.PEEK[])")[1][0]
        assert isinstance(fetched, tuple)
        assert fetched[1] == OCTETS
        both.change(lambda session: undo_run(session, run, at=AT + 60))
        both.sync()
        assert lying(both) == [(LOCAL, "inbox")]
        assert both.where_there("<deeds@x.example>") == []


def test_undone_before_the_server_has_it_nothing_goes(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.sync()
        run = move(both, local_message(both), "archive", account_mailbox(both))
        both.change(lambda session: undo_run(session, run, at=AT + 60))
        both.sync()
        assert lying(both) == [(LOCAL, "inbox")]
        assert both.where_there("<deeds@x.example>") == []


def test_from_the_server_to_this_computer(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        called = both.send(flags="(\\Flagged)")
        both.sync()
        with both.database.reading() as session:
            ((message_id,),) = fetch(session, "SELECT id FROM message")
        run = move(both, message_id, "inbox", LOCAL)
        assert lying(both) == [(LOCAL, "inbox")]
        both.sync()
        assert both.where_there(called) == ["Trash"]  # as long as undo reaches
        both.change(lambda session: undo_run(session, run, at=AT + 60))
        both.sync()
        assert both.where_there(called) == ["INBOX"]
        both.compare()


def test_not_to_what_is_only_watched_or_gone(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.change(lambda session: set_acting(session, both.account_id, False))
        message_id = local_message(both)
        with pytest.raises(WatchedError):
            move(both, message_id, "archive", account_mailbox(both))
        with both.database.writing() as session, pytest.raises(NotAnActError):
            act(
                session,
                Selection(ids=(message_id,)),
                PlainAct(do="move_to", folder=9_999),
                at=AT,
            )
        with pytest.raises(ValueError, match="name a folder"):
            PlainAct(do="restore", folder=1)
