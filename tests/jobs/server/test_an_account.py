"""An account of its own for each test: watching, a new UIDVALIDITY, arrivals, what runs by itself."""

import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from mnemic.core.actions import FileAction, PlaceAction
from mnemic.core.label_keyword import label_for
from mnemic.jobs import rehearse
from mnemic.jobs.catch_up.clearing_out import clear_out
from mnemic.jobs.people.folders_and_labels import delete_label, make_folder
from mnemic.jobs.people.reasons import deeds_of
from mnemic.jobs.server import taking_in
from mnemic.jobs.server.keeping_in_step import KeepingInStep
from mnemic.jobs.server.pass_report import PassReport
from mnemic.jobs.server.passes import Passes
from mnemic.jobs.server.passing import pass_over
from mnemic.jobs.server.state_lines import line_of, troubles_of
from mnemic.jobs.shared.watched import WatchedError
from mnemic.store.engine.backup import back_up
from mnemic.store.engine.sql import fetch
from mnemic.store.journal.history import list_runs
from mnemic.store.journal.trail import foreseen_of, trail_of
from mnemic.store.journal.undo import undo_run
from mnemic.store.line.rules import delete_rule, list_rules
from mnemic.store.mail.labels import label_called
from mnemic.store.mail.mailboxes import mailbox_of_account
from mnemic.store.server.connections import connection_of, set_acting, set_emptying
from mnemic.store.server.label_keywords import keywords_of_others
from tests.jobs.catching_up import catch_up
from tests.jobs.server.both_sides import KEY, both_sides
from tests.stand_in.standing_in import PASSWORD, standing_in

NOW = datetime.now(UTC)


def test_a_keyword_is_a_label_as_soon_as_a_rule_names_it(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        called = both.send(flags="(Lock_works $Junk)")
        both.sync()
        assert [row[4] for row in both.here()] == [frozenset()]
        with both.database.reading() as session:
            others = [(label_for(keyword), count) for keyword, count in keywords_of_others(session)]
        assert others == [("Lock works", 1)]
        both.rule("lock", {"do": "label", "label": "Lock works"})
        both.sync()
        assert [row[4] for row in both.here()] == [frozenset({"lock_works"})]
        with both.database.reading() as session:
            assert keywords_of_others(session) == []
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
        assert [both.where_here(called) for called in first] == [
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


def test_a_label_that_is_deleted_goes_from_the_server_and_comes_back_with_undo(
    tmp_path: Path,
) -> None:
    with both_sides(tmp_path) as both:
        both.rule("permit", {"do": "label", "label": "Lock works"})
        called = both.send(subject="permit", flags="own")
        both.sync()
        with both.database.writing() as session:
            run = delete_label(session, label_called(session, "Lock works") or 0, at=1)
            for stored in list_rules(session):
                delete_rule(session, stored.id)
        both.sync()
        ((_, flags),) = both.there("INBOX").values()
        assert flags - {"\\Recent"} == {"own"}  # what others put there stays
        # One that another device puts there later is somebody else's: it is left alone.
        both.elsewhere("INBOX", called, "STORE", "+FLAGS", "(Lock_works)")
        both.sync()
        ((_, flags),) = both.there("INBOX").values()
        assert "Lock_works" in flags
        both.elsewhere("INBOX", called, "STORE", "-FLAGS", "(Lock_works)")
        both.sync()
        with both.database.writing() as session:
            undo_run(session, run or 0, at=2)
        both.sync()
        ((_, flags),) = both.there("INBOX").values()
        assert "Lock_works" in flags
        both.compare()


def test_while_mnemic_runs_both_sides_are_kept_in_step(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.rule("permit", {"do": "file", "folder": "Permits"})
        called = both.send(subject="permit")
        stopping = threading.Event()
        keeping = KeepingInStep(
            both.database, Passes(both.database, lambda: KEY, tmp_path / "locks", 2**26), stopping
        )
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


def test_the_trash_is_emptied_there_only_once_the_owner_says_so(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        old, new = both.send(subject="old"), both.send(subject="new")
        both.sync()
        both.do(old, PlaceAction(do="trash"))
        both.sync()
        over = datetime.now(UTC) + timedelta(days=30, seconds=5)  # as long as mail stays there
        both.do(new, PlaceAction(do="trash"))
        with both.database.writing() as session:
            session.connection().exec_driver_sql(
                "UPDATE message SET placed_at = placed_at + 60 WHERE message_id = ?", (new,)
            )

        def later() -> None:
            state, _ = pass_over(both.database, both.account_id, KEY, largest=2**26, now=over)
            assert state == "in step"
            with both.database.writing() as session:
                clear_out(session, now=int(over.timestamp()))

        later()
        assert sorted(called for called, _ in both.there("Trash").values()) == sorted([old, new])
        both.compare()
        both.change(lambda session: set_emptying(session, both.account_id, on=True))
        later()
        assert [called for called, _ in both.there("Trash").values()] == [new]
        both.compare()
        with both.database.reading() as session:
            sayings = [run.saying for run in list_runs(session, before=None, limit=5)]
        assert "Gone from the trash for good" in sayings


def test_a_server_that_fails_is_told_since_when_and_how_much_waits(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        called = both.send()
        both.sync()

        def line(state: str, now: datetime) -> str:
            reached, _ = pass_over(both.database, both.account_id, KEY, largest=2**26, now=now)
            assert reached.startswith(state), reached
            with both.database.reading() as session:
                connection = connection_of(session, both.account_id)
                assert connection is not None
                return line_of(connection, troubles_of(session)._replace(now=now))

        both.stand_in.process.terminate()
        both.stand_in.process.wait()
        now = datetime(2026, 11, 30, 10, 32, tzinfo=UTC)
        at = f"127.0.0.1:{both.stand_in.ports['imap']}"
        assert line("nothing", now).startswith(f"since 10:32 nothing answers at {at}")
        both.do(called, PlaceAction(do="trash"))
        later = now + timedelta(hours=1)
        assert line("nothing", later).startswith(
            f"1 change waits since 10:32: nothing answers at {at}"
        )
        tomorrow = now + timedelta(days=1)
        assert line("nothing", tomorrow).startswith(
            "1 change waits since 30 November 10:32: nothing"
        )
        with standing_in(tmp_path / "stand-in", port=both.stand_in.ports["imap"]) as again:
            assert line("in step", tomorrow) == "in step"
            both.device.shutdown()
            both.device = again.device()
            both.compare()
            both.device.logout()


def test_a_mirror_that_takes_its_time_tells_how_far_it_is(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(taking_in, "_MANY", 3)
    monkeypatch.setattr(taking_in, "_BATCH", 1)
    states: list[str] = []
    monkeypatch.setattr(taking_in, "set_state", lambda _session, _id, state: states.append(state))
    with both_sides(tmp_path) as both:
        for _ in range(3):
            both.send()
        both.sync()
        assert states[-3:] == [f"mirroring {n} of 3; rehearsal looks at these" for n in (1, 2, 3)]
        both.send()
        both.sync()
        assert len(states) == 3


def test_what_came_in_and_is_to_be_heard_is_told_after_the_pass(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.rule("permit", {"do": "notify", "sound": "knock"})
        reports: list[PassReport] = []
        locks = tmp_path / "locks"
        passes = Passes(both.database, lambda: KEY, locks, 2**26, on_pass=reports.append)
        both.send(subject="permit")
        both.send()
        passes.over(both.account_id)
        passes.over(both.account_id)
        heard = [(len(saying.arrived), saying.sorted, saying.sounds) for saying in reports]
        assert heard == [(2, 1, ["knock"]), (0, 0, [])]


def test_the_password_is_in_no_table(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.sync()
        back_up(tmp_path / "mail" / "mnemic.sqlite3", tmp_path / "copy.sqlite3")
    for file in tmp_path.glob("**/*.sqlite3*"):
        if "stand-in" not in str(file):
            assert PASSWORD.encode() not in file.read_bytes(), file
    assert KEY.opened(KEY.sealed("x", "connection 1"), "connection 1") == "x"


def test_what_was_begun_and_taken_back_is_no_reason_to_take_a_copy_for_it(tmp_path: Path) -> None:
    """A move was noted and never reached the server; then somebody copies the message there."""
    with both_sides(tmp_path) as both:
        called = both.send()
        both.device.create("Past")
        both.sync()
        with both.database.writing() as session:
            session.connection().exec_driver_sql(
                "INSERT INTO server_begun SELECT m.id, f.id FROM message AS m, server_folder AS f"
                " WHERE f.name = 'Past'"
            )
        both.sync()
        both.elsewhere("INBOX", called, "COPY", "Past")
        both.sync()
        assert sorted(both.where_there(called)) == ["INBOX", "Past"]
        both.compare()
