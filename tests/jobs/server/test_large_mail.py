"""Mail that is larger than is fetched: its header is here, and nothing of it is lost by that."""

from pathlib import Path

import pytest

from mnemic.core.actions import PlaceAction
from mnemic.jobs.people.acts import PlainAct, act
from mnemic.jobs.server.message_notes import message_notes
from mnemic.jobs.server.passing import IN_STEP, pass_over
from mnemic.jobs.shared.crossing import HeaderOnlyError
from mnemic.store.engine.sql import fetch
from mnemic.store.journal.undo import undo_run
from mnemic.store.mail.folders import folder_with_role
from mnemic.store.mail.messages import message_row, octets_of
from mnemic.store.search.selection import Selection
from tests.jobs.server.both_sides import KEY, BothSides, both_sides

LARGEST = 2_000
HEADER = b"From: a@x.example\r\nSubject: plans\r\nMessage-ID: <%s@x.example>\r\n\r\n"


def step(both: BothSides) -> str:
    return pass_over(both.database, both.account_id, KEY, largest=LARGEST)[0]


def notes(both: BothSides, message_id: int) -> list[str]:
    with both.database.reading() as session:
        row = message_row(session, message_id)
        assert row is not None
        return message_notes(session, row)


def send(both: BothSides, called: bytes, body: int) -> int:
    """A message with so many octets after its header; its id here."""
    octets = HEADER % called + b"x" * body
    assert both.device.append("INBOX", "", "", octets)[0] == "OK"
    assert step(both) == IN_STEP
    with both.database.reading() as session:
        return int(fetch(session, "SELECT max(id) FROM message")[0][0])


def test_its_header_is_here_and_says_so(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        beyond = LARGEST + 1 - len(HEADER % b"1")
        small, large = send(both, b"0", beyond - 1), send(both, b"1", beyond)
        assert notes(both, small) == []
        assert notes(both, large) == ["Only its header is here: on the server it has 2,001 octets"]
        with both.database.reading() as session:
            assert octets_of(session, large) == HEADER % b"1"
        both.do("<1@x.example>", PlaceAction(do="archive"))
        assert step(both) == IN_STEP
        assert both.where_there("<1@x.example>") == ["Archive"]
        both.device.select("Archive")
        size = both.device.fetch("1", "(RFC822.SIZE)")[1][0]
        assert isinstance(size, bytes)
        assert b"RFC822.SIZE 2001" in size


def test_it_is_not_taken_elsewhere_nor_put_back_without_its_body(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        large = send(both, b"1", 5_000)
        with both.database.writing() as session:
            to_here = PlainAct(do="move_to", folder=folder_with_role(session, "inbox"))
            with pytest.raises(HeaderOnlyError):
                act(session, Selection(ids=(large,)), to_here, at=0)
        both.delete_elsewhere("INBOX", "<1@x.example>")
        assert step(both) == IN_STEP
        with both.database.reading() as session:
            ((run,),) = fetch(session, "SELECT max(id) FROM run WHERE actor = 'elsewhere'")
        both.change(lambda session: undo_run(session, run, at=1))
        state = step(both)
        assert "only the header is here" in state
        assert both.where_there("<1@x.example>") == []
        assert any("It waits here" in note for note in notes(both, large))
