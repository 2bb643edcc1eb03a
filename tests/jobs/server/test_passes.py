"""A connected account, over the real protocol: mirrored, followed, and told what is done here.

What is expected is what the page on servers says, sentence by sentence.
"""

import random
from collections.abc import Iterator
from datetime import UTC, datetime

import pytest

from mnemic.core.actions import CopyAction, FileAction, LabelAction, MarkAction, PlaceAction
from mnemic.jobs.people.folders_and_labels import delete_folder, make_folder, move_folder
from mnemic.store.engine.backup import check_database
from mnemic.store.journal.history import list_runs
from mnemic.store.journal.undo import undo_run
from mnemic.store.mail.folders import folder_at
from mnemic.store.mail.mailboxes import mailbox_of_account
from tests.jobs.server.both_sides import BothSides, both_sides

NOW = datetime.now(UTC)

#: What a server may lack, in turn, and all at once.
LACKING = [
    (),
    ("MOVE",),
    ("MOVE", "UIDPLUS"),
    ("QRESYNC",),
    ("CONDSTORE", "QRESYNC"),
    ("SPECIAL-USE", "CREATE-SPECIAL-USE"),
    ("LITERAL+", "ENABLE", "UNSELECT"),
    ("MOVE", "UIDPLUS", "QRESYNC", "CONDSTORE", "SPECIAL-USE", "LITERAL+", "ENABLE", "UNSELECT"),
]


@pytest.fixture(scope="module", params=LACKING, ids=" ".join)
def shared(
    request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[BothSides]:
    options = [part for extension in request.param for part in ("--without", extension)]
    with both_sides(tmp_path_factory.mktemp("server"), *options) as both:
        both.rule("permit", {"do": "file", "folder": "Moorings/Permits"}, {"do": "flag"})
        both.rule("lock", {"do": "label", "label": "Lock works"}, {"do": "read"})
        yield both
        assert list(check_database(both.path)) == []


@pytest.fixture
def both(shared: BothSides) -> Iterator[BothSides]:
    shared.sync()
    yield shared
    shared.compare()
    before = shared.sync()
    assert (before.fetched, before.there, before.changed) == (0, set(), set())


def test_what_arrives_is_sorted_there_too(both: BothSides) -> None:
    permit, lock, other = both.send(subject="permit"), both.send(subject="lock"), both.send()
    report = both.sync()
    assert (report.fetched, len(report.arrived), report.sorted) == (3, 3, 2)
    assert both.where_there(permit) == ["Moorings/Permits"]
    assert both.where_there(lock) == both.where_there(other) == ["INBOX"]
    flags = dict(both.there("INBOX").values())
    assert {"\\Seen", "Lock_works"} <= flags[lock]
    assert not flags[other] & {"\\Seen", "\\Flagged"}
    assert "\\Flagged" in dict(both.there("Moorings/Permits").values())[permit]


def test_what_is_moved_elsewhere_is_followed_and_respected(both: BothSides) -> None:
    called = both.send(subject="permit")
    both.sync()
    both.move_elsewhere("Moorings/Permits", called, "Archive")
    report = both.sync()
    assert (report.fetched, len(report.changed), len(report.arrived)) == (0, 1, 0)
    assert both.where_here(called) == ["Archive"]
    with both.database.reading() as session:
        assert list_runs(session, before=None, limit=1)[0].saying == "Moved elsewhere to “Archive”"
    # It came back to the inbox: it is no arrival, no rule takes it again.
    both.move_elsewhere("Archive", called, "INBOX")
    report = both.sync()
    assert (report.sorted, len(report.arrived)) == (0, 0)
    assert both.where_here(called) == ["Inbox"]


def test_what_is_undone_here_is_undone_there(both: BothSides) -> None:
    called = both.send()
    both.sync()
    run = both.do(called, FileAction(do="file", folder="Papers/Old"))
    both.sync()
    assert both.where_there(called) == ["Papers/Old"]
    assert run is not None
    both.change(lambda session: undo_run(session, run, at=0))
    both.sync()
    assert both.where_there(called) == ["INBOX"]


def test_there_and_back_is_nothing(both: BothSides) -> None:
    called = both.send()
    both.sync()
    both.do(called, PlaceAction(do="archive"))
    both.do(called, FileAction(do="file", folder="Inbox"))
    assert both.sync().there == set()


def test_who_is_gone_elsewhere_is_brought_back_by_undo(both: BothSides) -> None:
    called = both.send()
    both.sync()
    both.do(called, LabelAction(do="label", label="Lock works"))
    both.elsewhere("INBOX", called, "STORE", "+FLAGS", "(\\Answered $Forwarded)")
    both.sync()
    both.delete_elsewhere("INBOX", called)
    assert len(both.sync().gone) == 1
    assert both.where_here(called) == []
    with both.database.reading() as session:
        run = list_runs(session, before=None, limit=1)[0]
    assert run.saying == "Gone elsewhere"
    both.change(lambda session: undo_run(session, run.id, at=0))
    both.sync()
    assert both.where_there(called) == ["INBOX"]
    flags = {flag.lower() for flag in dict(both.there("INBOX").values())[called]}
    assert {"lock_works", "$forwarded", "\\answered"} <= flags


def test_what_is_marked_as_deleted_is_out_of_sight_until_it_is_not(both: BothSides) -> None:
    called = both.send()
    both.sync()
    both.elsewhere("INBOX", called, "STORE", "+FLAGS", "(\\Deleted)")
    both.sync()
    assert both.where_here(called) == []
    both.elsewhere("INBOX", called, "STORE", "-FLAGS", "(\\Deleted)")
    both.sync()
    assert both.where_here(called) == ["Inbox"]
    assert both.where_there(called) == ["INBOX"]


def test_what_comes_back_to_an_answer_that_was_heard_before_is_seen(
    both: BothSides, monkeypatch: pytest.MonkeyPatch
) -> None:
    called = both.send()
    both.sync()
    both.sync()
    for sign in "+-+-":  # every other answer is one that was as what was known once
        both.elsewhere("INBOX", called, "STORE", f"{sign}FLAGS", "(\\Flagged)")
        assert len(both.sync().changed) == 1
    both.sync()

    def nobody_reads(*_: object) -> None:
        raise AssertionError("an answer that says nothing new was read")

    with monkeypatch.context() as patched:
        patched.setattr("mnemic.post.imap.server_mailbox.parse_fetch_response", nobody_reads)
        both.sync()


def test_flags_of_others_stay(both: BothSides) -> None:
    called = both.send()
    both.elsewhere("INBOX", called, "STORE", "+FLAGS", "(\\Answered $Forwarded)")
    both.sync()
    both.do(called, MarkAction(do="flag"))
    both.sync()
    assert {"\\Answered", "$Forwarded", "\\Flagged"} <= dict(both.there("INBOX").values())[called]
    both.elsewhere("INBOX", called, "STORE", "-FLAGS", "($Forwarded)")


def test_copies_are_made_and_taken_back_there(both: BothSides) -> None:
    called = both.send()
    both.sync()
    run = both.do(called, CopyAction(do="copy", folder="Copies"))
    both.sync()
    assert sorted(both.where_there(called)) == ["Copies", "INBOX"]
    assert run is not None
    both.change(lambda session: undo_run(session, run, at=0))
    both.sync()
    assert both.where_there(called) == ["INBOX"]


def test_what_is_erased_lies_in_the_trash_there(both: BothSides) -> None:
    called = both.send()
    both.sync()
    both.do(called, PlaceAction(do="erase"))
    both.sync()
    assert both.where_here(called) == []
    assert both.where_there(called) == ["Trash"]
    both.delete_elsewhere("Trash", called)
    both.sync()


def test_folders_go_the_way_of_those_on_the_other_side(both: BothSides) -> None:
    mailbox = both.database
    with mailbox.writing() as session:
        own = mailbox_of_account(session, both.account_id) or 0
        made = make_folder(session, "Made/Here", at=0, mailbox_id=own)
    both.sync()
    assert "Made/Here" in both.folders_there()
    called = both.send("Made/Here")
    both.sync()
    both.change(lambda session: move_folder(session, made, name="There", parent_id=None, at=0))
    report = both.sync()
    assert report.fetched == 0
    assert {"There"} <= set(both.folders_there())
    assert "Made/Here" not in both.folders_there()
    both.device.rename("There", "Renamed")
    report = both.sync()
    assert (report.fetched, report.gone) == (0, set())
    assert both.where_here(called) == ["Renamed"]
    with mailbox.reading() as session:
        folder = folder_at(session, "Renamed", own)
    assert folder is not None
    both.change(lambda session: delete_folder(session, folder, at=0))
    both.sync()
    assert "Renamed" not in both.folders_there()
    assert both.where_there(called) == ["Trash"]


def test_a_further_copy_of_one_that_is_there_is_an_arrival(both: BothSides) -> None:
    called = both.send(subject="permit")
    both.sync()
    both.elsewhere("Moorings/Permits", called, "COPY", "INBOX")
    report = both.sync()
    assert (report.fetched, len(report.arrived), report.sorted) == (0, 1, 1)
    assert both.where_there(called) == ["Moorings/Permits"] * 1
    assert both.where_here(called) == ["Moorings/Permits"] * 2
    both.delete_elsewhere("Moorings/Permits", called)
    both.sync()


FOLDERS = ("INBOX", "Archive", "Moorings/Permits", "Past")


def something_elsewhere(both: BothSides, chance: random.Random) -> None:
    """Anything that another device may do."""
    folder = chance.choice([name for name in FOLDERS if name in both.folders_there()])
    lying = [called for called, flags in both.there(folder).values()]
    what = chance.choice(("send", "move", "flag", "keyword", "delete"))
    if what == "send" or not lying:
        both.send(chance.choice(("INBOX", folder)), chance.choice(("permit", "lock", "minutes")))
        return
    called = chance.choice(lying)
    sign = chance.choice("+-")
    if what == "move":
        targets = [name for name in FOLDERS if name in both.folders_there() and name != folder]
        both.move_elsewhere(folder, called, chance.choice(targets))
    elif what == "flag":
        flag = chance.choice(("\\Seen", "\\Flagged"))
        both.elsewhere(folder, called, "STORE", f"{sign}FLAGS", f"({flag})")
    elif what == "keyword":
        both.elsewhere(folder, called, "STORE", f"{sign}FLAGS", "(lock_works)")
    else:
        both.delete_elsewhere(folder, called)
        both.ever.discard(called)


def something_here(both: BothSides, chance: random.Random) -> None:
    """Anything that the owner may do here."""
    visible = sorted({called for _, called, *_ in both.here() if called})
    if not visible:
        return
    action = chance.choice(
        (
            FileAction(do="file", folder="Past"),
            FileAction(do="file", folder="Inbox"),
            PlaceAction(do="archive"),
            MarkAction(do="read"),
            MarkAction(do="unread"),
            MarkAction(do="flag"),
            LabelAction(do="label", label="Lock works"),
        )
    )
    run = both.do(chance.choice(visible), action)
    if run is not None and chance.random() < 0.3:
        both.change(lambda session: undo_run(session, run, at=0))


@pytest.mark.parametrize("seed", range(3))
def test_whatever_is_done_on_both_sides_they_come_in_step(both: BothSides, seed: int) -> None:
    chance = random.Random(seed)  # noqa: S311 -- nothing secret
    for called in list(both.ever):
        if not both.where_there(called):
            both.ever.discard(called)
    for _ in range(8):
        for _ in range(chance.randint(1, 4)):
            chance.choice((something_elsewhere, something_here))(both, chance)
        both.sync()
        both.compare()
        # None is lost: whatever nobody deleted is there.
        assert both.ever <= {called for _, called, *_ in both.there_all()}
