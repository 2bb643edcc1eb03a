"""The first mirror of a mailbox with more in it than is looked at at once."""

from pathlib import Path
from typing import Any

import pytest

from mnemic.jobs.server.taking_in import TakingIn
from mnemic.store.journal.history import list_runs
from tests.jobs.server.both_sides import BothSides, both_sides

#: How many messages are looked at at a time, what the server lacks, whether rules act.
CASES = [
    (1, (), True),
    (3, ("--without", "CONDSTORE", "--without", "QRESYNC"), True),
    (6, (), False),
    (7, ("--without", "UIDPLUS"), True),
    (20, (), True),
]


def filled(both: BothSides) -> list[str]:
    """Seven messages in the inbox, six in one folder, one in another."""
    for folder in ("Older", "Small"):
        assert both.device.create(folder)[0] == "OK"
    inbox = [both.send() for _ in range(7)]
    return inbox + [both.send(folder) for folder in ["Older"] * 6 + ["Small"]]


@pytest.mark.parametrize(("room", "options", "acting"), CASES)
def test_all_is_here_once_whatever_is_looked_at_at_a_time(
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    room: int,
    options: tuple[str, ...],
    acting: bool,
) -> None:
    monkeypatch.setattr("mnemic.jobs.server.looking._ROOM", room)
    with both_sides(tmp_path, *options, acting=acting) as both:
        called = filled(both)
        assert both.sync().fetched == len(called)
        both.compare()
        assert both.sync().fetched == 0


def test_what_moves_meanwhile_is_followed_and_not_missed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Another device moves what is here already to where not all was seen, and the other way."""
    monkeypatch.setattr("mnemic.jobs.server.looking._ROOM", 2)
    with both_sides(tmp_path) as both:
        called = filled(both)
        take, moves = TakingIn.take, [(called[6], "INBOX", "Older"), (called[7], "Older", "INBOX")]

        def taken(taking: TakingIn, strange: Any) -> None:
            take(taking, strange)
            if moves and both.where_here(moves[0][0]):
                name, source, target = moves.pop(0)
                both.move_elsewhere(source, name, target)

        monkeypatch.setattr(TakingIn, "take", taken)
        both.sync()
        both.sync()
        assert moves == []
        both.compare()
        with both.database.reading() as session:
            sayings = {run.saying for run in list_runs(session, before=None, limit=9)}
        assert "Gone elsewhere" not in sayings
