"""What the owner says that folders of the server are for: nothing is told to it by that."""

from pathlib import Path

from mnemic.core.actions import PlaceAction
from mnemic.store.engine.sql import fetch
from mnemic.store.mail.folders import list_folders
from mnemic.store.server.folder_choices import FolderChoice, choose_folder
from tests.jobs.server.both_sides import BothSides, both_sides


def choose(both: BothSides, name: str, choice: FolderChoice | None) -> None:
    both.change(lambda session: choose_folder(session, _mailbox(session), name, choice))


def _mailbox(session: object) -> int:
    return int(fetch(session, "SELECT mailbox_id FROM connection")[0][0])  # type: ignore[arg-type]


def roles(both: BothSides) -> dict[str, str | None]:
    """The roles of the account's folders here, by path."""
    with both.database.reading() as session:
        mailbox = _mailbox(session)
        return {f.path: f.role for f in list_folders(session) if f.mailbox_id == mailbox}


def lies(both: BothSides, called: str) -> tuple[list[str], list[str]]:
    """Where it lies here, and there."""
    return both.where_here(called), both.where_there(called)


def test_another_folder_is_the_archive(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.device.create("Done")
        old, done, new = both.send("Archive"), both.send("Done"), both.send()
        both.sync()
        assert lies(both, old) == (["Archive"], ["Archive"])
        choose(both, "Done", "archive")
        report = both.sync()
        assert (report.fetched, report.there, report.gone) == (0, set(), set())
        assert roles(both)["Archive"] == "archive"
        assert lies(both, done) == (["Archive"], ["Done"])
        assert lies(both, old) == (["Archive (2)"], ["Archive"])
        both.do(new, PlaceAction(do="archive"))
        both.sync()
        assert lies(both, new) == (["Archive"], ["Done"])
        choose(both, "Done", None)
        assert (both.sync().there, roles(both)["Done"]) == (set(), None)
        assert lies(both, old) == (["Archive"], ["Archive"])
        assert lies(both, new) == (["Done"], ["Done"])
        assert "Archive (2)" not in roles(both)
        both.compare()


def test_the_folder_that_was_the_archive_is_left_out(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.device.create("Done")
        old, done = both.send("Archive"), both.send("Done")
        both.sync()
        choose(both, "Done", "archive")
        both.sync()
        choose(both, "Done", "left out")
        both.sync()
        assert lies(both, done) == ([], ["Done"])
        assert lies(both, old) == (["Archive"], ["Archive"])
        assert "Done" not in roles(both)


def test_a_special_folder_that_is_plain(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        called = both.send("Junk")
        both.sync()
        choose(both, "Junk", "plain")
        both.sync()
        assert lies(both, called) == (["Junk (2)"], ["Junk"])
        choose(both, "Junk", None)
        both.sync()
        assert lies(both, called) == (["Junk"], ["Junk"])
        both.compare()


def test_a_folder_is_left_out_and_comes_back(tmp_path: Path) -> None:
    with both_sides(tmp_path) as both:
        both.device.create("Old/Letters")
        called, other = both.send("Old/Letters"), both.send()
        both.sync()
        choose(both, "Old/Letters", "left out")
        report = both.sync()
        assert report.there == set()
        assert lies(both, called) == ([], ["Old/Letters"])
        assert "Old/Letters" not in roles(both)
        both.sync()
        assert lies(both, other) == (["Inbox"], ["INBOX"])
        choose(both, "INBOX", "left out")  # nobody can do without it
        both.sync()
        assert both.where_here(other) == ["Inbox"]
        choose(both, "Old/Letters", None)
        assert both.sync().fetched == 1
        both.compare()
