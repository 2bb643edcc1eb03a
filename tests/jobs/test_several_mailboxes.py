"""Two mailboxes with folders of the same names: rules, people and undo stay within each."""

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from sqlmodel import Session

from mnemic.core import parse_message, read_rule
from mnemic.core.actions import FileAction, PlaceAction
from mnemic.core.search import understand
from mnemic.jobs import rehearse
from mnemic.jobs.catch_up.planning import CatchUpPlan
from mnemic.jobs.catch_up.preview import preview_catch_up
from mnemic.jobs.intake.arrival import Intake, Landed
from mnemic.jobs.people.acts import PlainAct, act
from mnemic.jobs.people.folders_and_labels import delete_folder, make_folder, move_folder
from mnemic.store import Database
from mnemic.store.engine.sql import fetch
from mnemic.store.journal.undo import last_run_to_undo, undo_run
from mnemic.store.line.rules import add_rule
from mnemic.store.mail.folders import (
    LOCAL,
    FolderError,
    ensure_folder,
    folder_paths,
    folder_with_role,
    mailboxes_of_folders,
)
from mnemic.store.mail.mailboxes import make_mailbox, remove_mailbox
from mnemic.store.owner.accounts import Account, change_account
from mnemic.store.search.finding import find_messages
from mnemic.store.search.selection import Selection
from tests.jobs.catching_up import catch_up

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
AT = int(NOW.timestamp())

#: The subjects of the messages that come to each mailbox: the same octets to both.
SUBJECTS = ("permit one", "permit two", "minutes")


def rule(word: str, *then: dict[str, Any]) -> Any:
    when = {"field": "subject", "test": "words", "values": [word]}
    return read_rule({"name": word, "when": when, "then": list(then)})


FILED = {"do": "file", "folder": "Moorings/Permits"}


class Office:
    """A local mailbox and one of an account, with the same mail in both."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.account = change_account(session, Account(0, "Office", "me@trust.example", ()))
        self.connected = make_mailbox(session, self.account.id)
        self.ids: dict[int, list[int]] = {LOCAL: [], self.connected: []}

    def come(self, *, rules: list[Any] | None = None) -> None:
        intake = Intake(self.session, NOW, rules)
        for number, subject in enumerate(SUBJECTS):
            octets = f"From: a@x.example\nSubject: {subject}\n\nbody".encode()
            for mailbox_id, ids in self.ids.items():
                inbox = folder_with_role(self.session, "inbox", mailbox_id)
                landed = Landed(mailbox_id, inbox, self.account, "arrival")
                arrival = intake.take_in(
                    parse_message(octets),
                    received=NOW + timedelta(minutes=number),
                    landed=None if mailbox_id == LOCAL else landed,
                )
                ids.append(arrival.message_id)

    def lies(self, mailbox_id: int) -> list[str]:
        """Where the messages of a mailbox lie; one that lies in another fails."""
        paths, mailboxes = folder_paths(self.session), mailboxes_of_folders(self.session)
        places = dict(fetch(self.session, "SELECT id, folder_id FROM message"))
        folders = [places[key] for key in self.ids[mailbox_id]]
        erased = folder_with_role(self.session, "erased")
        assert {mailboxes[folder] for folder in folders if folder != erased} <= {mailbox_id}
        return [paths[folder] for folder in folders]

    def both(self) -> list[list[str]]:
        return [self.lies(mailbox_id) for mailbox_id in self.ids]


@pytest.fixture
def office(database: Database) -> Iterator[Office]:
    with database.writing() as session:
        yield Office(session)


def test_what_arrives_is_filed_within_its_own_mailbox(office: Office) -> None:
    add_rule(office.session, rule("permit", FILED, {"do": "copy", "folder": "Permits"}))
    office.come()
    assert office.both() == [["Moorings/Permits", "Moorings/Permits", "Inbox"]] * 2
    copies = fetch(
        office.session,
        "SELECT m.mailbox_id, count(*) FROM message AS m JOIN folder AS f ON f.id = m.folder_id"
        " WHERE f.name = 'Permits' AND f.parent_id IS NULL AND f.mailbox_id = m.mailbox_id"
        " GROUP BY 1 ORDER BY 1",
    )
    assert copies == [(LOCAL, 2), (office.connected, 2)]


@pytest.mark.parametrize("then", [FILED, {"do": "archive"}, {"do": "trash"}, {"do": "erase"}])
def test_a_catch_up_tells_does_and_undoes_within_each(office: Office, then: dict[str, Any]) -> None:
    office.come(rules=[])
    # In one of them one is there already: what is told must not take the other's for it.
    ensure_folder(office.session, "Moorings/Permits", office.connected)
    added = add_rule(office.session, rule("permit", then))
    rehearsal = rehearse(office.session, added.rule, now=NOW)
    assert (rehearsal.takes, rehearsal.catch_up) == (4, 4)
    _, counted = preview_catch_up(office.session, CatchUpPlan((added.id,)), now=NOW)
    done = catch_up(office.session, added, at=AT)
    assert done.changed == 4
    first, *_ = office.lies(LOCAL)
    assert counted.moved_to == done.moved_to == {LOCAL: {first: 2}, office.connected: {first: 2}}
    assert office.both() == [[first, first, "Inbox"]] * 2
    assert first != "Inbox"
    last = last_run_to_undo(office.session, since=AT)
    assert last is not None
    undo_run(office.session, last.id or 0, at=AT)
    assert office.both() == [["Inbox"] * 3] * 2


def test_a_copy_in_the_other_mailbox_is_none_in_this(office: Office) -> None:
    office.come(rules=[])
    copied = rule("permit", {"do": "copy", "folder": "Permits"})
    folder = ensure_folder(office.session, "Permits", office.connected)
    act(
        office.session,
        Selection(ids=tuple(office.ids[office.connected])),
        FileAction(do="file", folder="Permits"),
        at=AT,
    )
    assert {mailboxes_of_folders(office.session)[folder]} == {office.connected}
    added = add_rule(office.session, copied)
    rehearsal = rehearse(office.session, added.rule, now=NOW)
    assert (rehearsal.takes, rehearsal.catch_up) == (4, 2)
    assert catch_up(office.session, added, at=AT).changed == 2


def test_what_a_person_does_to_mail_of_both_stays_within_each(office: Office) -> None:
    office.come(rules=[])
    everything = Selection(ids=tuple(key for ids in office.ids.values() for key in ids))
    moved = act(office.session, everything, FileAction(do="file", folder="Past"), at=AT)
    assert office.both() == [["Past"] * 3] * 2
    assert moved.run_id is not None
    undo_run(office.session, moved.run_id, at=AT)
    assert office.both() == [["Inbox"] * 3] * 2
    act(office.session, everything, PlaceAction(do="trash"), at=AT)
    act(office.session, everything, PlainAct(do="restore"), at=AT)
    assert office.both() == [["Inbox"] * 3] * 2
    act(office.session, everything, PlaceAction(do="archive"), at=AT)
    act(office.session, everything, PlainAct(do="put_back"), at=AT)
    assert office.both() == [["Inbox"] * 3] * 2


def test_folders_of_the_same_name_are_two(office: Office) -> None:
    session = office.session
    office.come(rules=[])
    local = make_folder(session, "Past/Deep", at=AT)
    there = make_folder(session, "Past/Deep", at=AT, mailbox_id=office.connected)
    with pytest.raises(FolderError, match="already"):
        make_folder(session, "past/deep", at=AT, mailbox_id=office.connected)
    with pytest.raises(FolderError, match="another mailbox"):
        move_folder(session, local, name="Deep", parent_id=there, at=AT)
    everything = Selection(ids=tuple(key for ids in office.ids.values() for key in ids))
    act(session, everything, FileAction(do="file", folder="Past/Deep"), at=AT)
    run = delete_folder(session, there, at=AT)
    assert office.both() == [["Past/Deep"] * 3, ["Trash"] * 3]
    assert run is not None
    undo_run(session, run, at=AT)
    assert office.both() == [["Past/Deep"] * 3] * 2


@pytest.mark.parametrize(
    ("asked", "count"),
    [("folder:Inbox", 6), ("-folder:Inbox", 0)],
)
def test_a_folder_is_meant_in_each_mailbox(office: Office, asked: str, count: int) -> None:
    office.come(rules=[])
    test = understand(asked, NOW.date()).test
    assert test is not None
    assert find_messages(office.session, test, UTC).total == count
    seen = read_rule({"name": "r", "when": test, "then": [{"do": "read"}]})
    assert rehearse(office.session, seen, now=NOW).takes == count


def test_a_mailbox_that_is_removed_takes_nothing_of_another_with_it(office: Office) -> None:
    office.come(rules=[])
    make_folder(office.session, "Past/Deep", at=AT, mailbox_id=office.connected)
    assert remove_mailbox(office.session, office.connected) == 3
    assert office.lies(LOCAL) == ["Inbox"] * 3
    left = fetch(office.session, "SELECT count(*) FROM folder WHERE mailbox_id <> 1")
    assert left == [(0,)]
