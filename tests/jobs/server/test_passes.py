"""A connected account, over the real protocol: mirrored, followed, and told what is done here.

What is expected is what the page on servers says, sentence by sentence.
"""

import random
import threading
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from mnemic.core.actions import CopyAction, FileAction, LabelAction, MarkAction, PlaceAction
from mnemic.jobs import rehearse
from mnemic.jobs.catch_up.clearing_out import clear_out
from mnemic.jobs.people.folders_and_labels import delete_folder, make_folder, move_folder
from mnemic.jobs.people.reasons import deeds_of
from mnemic.jobs.server.keeping_in_step import KeepingInStep
from mnemic.jobs.server.passing import pass_over
from mnemic.jobs.shared.watched import WatchedError
from mnemic.store.engine.backup import back_up, check_database
from mnemic.store.engine.sql import fetch
from mnemic.store.journal.history import list_runs
from mnemic.store.journal.trail import foreseen_of, trail_of
from mnemic.store.journal.undo import undo_run
from mnemic.store.line.rules import list_rules
from mnemic.store.mail.folders import folder_at
from mnemic.store.mail.mailboxes import mailbox_of_account
from mnemic.store.server.connections import set_acting
from tests.jobs.catching_up import catch_up
from tests.jobs.server.both_sides import KEY, BothSides, both_sides
from tests.stand_in.standing_in import PASSWORD

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
    options = [part for each in request.param for part in ("--without", each)]
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
    flags = {each.lower() for each in dict(both.there("INBOX").values())[called]}
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
    folder = chance.choice([each for each in FOLDERS if each in both.folders_there()])
    lying = [called for called, flags in both.there(folder).values()]
    what = chance.choice(("send", "move", "flag", "keyword", "delete"))
    if what == "send" or not lying:
        both.send(chance.choice(("INBOX", folder)), chance.choice(("permit", "lock", "minutes")))
        return
    called = chance.choice(lying)
    sign = chance.choice("+-")
    if what == "move":
        targets = [each for each in FOLDERS if each in both.folders_there() and each != folder]
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


def test_a_keyword_is_a_label_as_soon_as_a_rule_names_it(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        called = both.send(flags="(Lock_works $Junk)")
        both.sync()
        assert [each[4] for each in both.here()] == [frozenset()]
        both.rule("lock", {"do": "label", "label": "Lock works"})
        both.sync()
        assert [each[4] for each in both.here()] == [frozenset({"lock_works"})]
        assert {"Lock_works", "$Junk"} <= dict(both.there("INBOX").values())[called]
        both.compare()


def test_what_was_there_first_is_no_arrival(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.rule("permit", {"do": "trash"})
        both.device.create("Old")
        first = [both.send("Old", "permit"), both.send("Sent", "permit")]
        with both.database.writing() as session:
            session.connection().exec_driver_sql("UPDATE connection SET inbox_uidnext = 3")
        first += [both.send(subject="permit"), both.send(subject="permit")]
        later = both.send(subject="permit")
        report = both.sync()
        assert (report.fetched, len(report.arrived), report.sorted) == (5, 1, 1)
        assert [both.where_here(each) for each in first] == [
            ["Old"],
            ["Sent"],
            ["Inbox"],
            ["Inbox"],
        ]
        assert both.where_here(later) == ["Trash"]
        both.compare()


def test_who_only_watches_changes_nothing_there(tmp_path: Path) -> None:
    with both_sides(tmp_path, acting=False) as both:
        both.rule("permit", {"do": "file", "folder": "Permits"}, {"do": "read"})
        both.sync()
        called = both.send(subject="permit")
        before = both.there_all(), both.folders_there()
        report = both.sync()
        assert (len(report.arrived), report.sorted) == (1, 0)
        assert (both.there_all(), both.folders_there()) == before
        assert both.where_here(called) == ["Inbox"]
        both.compare()
        with both.database.reading() as session:
            ((message_id,),) = fetch(
                session, "SELECT id FROM message WHERE message_id = :called", called=called
            )
            (foreseen,) = foreseen_of(session, [message_id])[message_id]
            assert deeds_of(foreseen) == ["filed in Permits", "marked as read"]
            assert trail_of(session, [message_id]) == {}
        # Nothing is done here that can't be done there: by hand it is refused, a catch-up tells.
        with pytest.raises(WatchedError, match="only watched"):
            both.do(called, PlaceAction(do="archive"))
        with both.database.writing() as session:
            own = mailbox_of_account(session, both.account_id) or 0
            with pytest.raises(WatchedError, match="only watched"):
                make_folder(session, "New", at=0, mailbox_id=own)
            (stored,) = list_rules(session)
            assert rehearse(session, stored.rule, now=NOW).catch_up == 1
            assert catch_up(session, stored, at=int(NOW.timestamp())).changed == 0
        both.compare()
        with both.database.writing() as session:
            set_acting(session, both.account_id, True)
            assert catch_up(session, stored, at=int(NOW.timestamp())).changed == 1
        both.sync()
        assert both.where_there(called) == ["Permits"]


def test_what_is_erased_is_destroyed_there_before_it_is_here(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        called = both.send()
        both.sync()
        both.do(called, PlaceAction(do="erase"))
        both.sync()
        later = datetime.now(UTC) + timedelta(days=31)
        with both.database.writing() as session:
            assert clear_out(session, now=int(later.timestamp())) == 0
        pass_over(both.database, both.account_id, KEY, largest=2**26, now=later)
        assert both.where_there(called) == []
        with both.database.writing() as session:
            assert clear_out(session, now=int(later.timestamp())) == 1
        both.sync()
        both.compare()


def test_a_new_uidvalidity_fetches_nothing_and_loses_nothing(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        called = [both.send("Archive") for _ in range(3)]
        both.sync()
        both.do(called[0], FileAction(do="file", folder="Archive"))
        with both.database.writing() as session:
            ids = fetch(session, "SELECT message_id, id FROM message ORDER BY id")
            session.connection().exec_driver_sql(
                "UPDATE message SET colour = 'marigold' WHERE message_id = ?", (called[1],)
            )
        # The folder is made anew, with the same mail: other UIDs under another UIDVALIDITY.
        octets = both.device.select("Archive") and both.device.uid(
            "FETCH", "1:*", "(INTERNALDATE BODY.PEEK[])"
        )
        letters = [line for line in octets[1] if isinstance(line, tuple)]
        both.device.close()
        both.device.rename("Archive", "Gone")
        both.device.create("Archive")
        for line in reversed(letters):
            date = line[0].decode().split('INTERNALDATE "')[1].split('"')[0]
            both.device.append("Archive", "", f'"{date}"', line[1])
        both.device.delete("Gone")
        report = both.sync()
        assert (report.fetched, report.gone) == (0, set())
        with both.database.reading() as session:
            assert fetch(session, "SELECT message_id, id FROM message ORDER BY id") == ids
            colours = fetch(
                session, "SELECT colour FROM message WHERE message_id = :c", c=called[1]
            )
        assert colours == [("marigold",)]
        both.compare()


def until(holds: Callable[[], bool]) -> None:
    """Wait until something holds, for a minute at most."""
    end = time.monotonic() + 60
    while not holds():
        assert time.monotonic() < end
        time.sleep(0.2)


def test_while_mnemic_runs_both_sides_are_kept_in_step(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.rule("permit", {"do": "file", "folder": "Permits"})
        called = both.send(subject="permit")
        stopping = threading.Event()
        keeping = KeepingInStep(both.database, lambda: KEY, tmp_path / "locks", 2**26, stopping)
        thread = threading.Thread(target=keeping.run)
        thread.start()
        try:
            until(lambda: both.where_there(called) == ["Permits"])
            both.do(called, PlaceAction(do="archive"))
            until(lambda: both.where_there(called) == ["Archive"])
            # Within the minute between two looks: the server tells.
            begun = time.monotonic()
            later = both.send(subject="permit")
            until(lambda: both.where_there(later) == ["Permits"])
            assert time.monotonic() - begun < 45
        finally:
            stopping.set()
            thread.join(timeout=60)
        assert not thread.is_alive()
        both.compare()


def test_the_password_is_in_no_table(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.sync()
        back_up(tmp_path / "mail" / "mnemic.sqlite3", tmp_path / "copy.sqlite3")
    for file in tmp_path.glob("**/*.sqlite3*"):
        if "stand-in" not in str(file):
            assert PASSWORD.encode() not in file.read_bytes(), file
    assert KEY.opened(KEY.sealed("x", "connection 1"), "connection 1") == "x"
