"""What people do with messages, folders and labels; and that undo puts it back."""

from collections.abc import Iterator
from datetime import UTC, timedelta
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlmodel import Session

from mnemic.core import parse_message, read_rule
from mnemic.core.actions import ForwardAction
from mnemic.core.search import understand
from mnemic.jobs import take_in
from mnemic.jobs.catch_up.clearing_out import clear_out, next_emptying
from mnemic.jobs.people.acts import NotAnActError, act
from mnemic.jobs.people.folders_and_labels import (
    change_label,
    delete_folder,
    delete_label,
    make_folder,
    make_label,
    move_folder,
)
from mnemic.jobs.people.message_history import steps_of
from mnemic.store import Database
from mnemic.store.engine.sql import fetch
from mnemic.store.journal.history import list_runs
from mnemic.store.journal.undo import (
    GoneForGoodError,
    RunPart,
    UndoneAlreadyError,
    last_run_to_undo,
    undo_run,
)
from mnemic.store.line.rules import add_rule, list_rules
from mnemic.store.mail.folders import FolderError, folder_paths, folder_with_role, list_folders
from mnemic.store.mail.labels import LabelError, labels_of, list_labels
from mnemic.store.mail.listing import list_messages
from mnemic.store.mail.messages import message_row
from mnemic.store.search.finding import find_messages
from mnemic.store.search.selection import Selection, selected_ids
from tests.jobs.acting import AT, NOW, do, state
from tests.jobs.catching_up import catch_up

DAY = 86_400
MAIL = 6


@pytest.fixture
def session(database: Database) -> Iterator[Session]:
    with database.writing() as opened:
        for number in range(MAIL):
            octets = b"From: a%d@x.example\nSubject: permit %d\n\nbody" % (number, number)
            take_in(opened, parse_message(octets), received=NOW + timedelta(minutes=number))
        yield opened


ACTS: list[dict[str, Any]] = [
    {"do": "read"}, {"do": "unread"}, {"do": "flag"}, {"do": "unflag"}, {"do": "archive"}, {"do": "trash"},
    {"do": "erase"}, {"do": "keep"}, {"do": "file", "folder": "Moorings/Permits"}, {"do": "label", "label": "A"},
    {"do": "label", "label": "B"}, {"do": "unlabel", "label": "A"}, {"do": "colour", "colour": "plum"},
    {"do": "uncolour"}, {"do": "priority", "level": "low"}, {"do": "restore"},
]  # fmt: skip


@settings(deadline=None, max_examples=40, suppress_health_check=list(HealthCheck))
@given(
    st.lists(
        st.tuples(st.sampled_from(ACTS), st.sets(st.integers(1, MAIL), min_size=1)), max_size=8
    )
)
def test_undoing_everything_gives_back_the_mailbox_and_redoing_it_too(
    session: Session, acts: list[tuple[dict[str, Any], set[int]]]
) -> None:
    before, runs, steps = state(session), [], []
    for what, ids in acts:
        run_id = do(session, sorted(ids), **what).run_id
        if run_id is not None:
            runs.append(run_id)
            steps.append(state(session))
    undone = []
    for run_id, step in zip(reversed(runs), [*reversed(steps[:-1]), before], strict=False):
        done = undo_run(session, run_id, at=AT)
        assert done is not None
        assert done.left_alone == 0
        undone.append(done.run_id)
        assert state(session) == step
    for undo_id, step in zip(reversed(undone), steps, strict=True):  # an undo can be undone
        undo_run(session, undo_id or 0, at=AT)
        assert state(session) == step
    for run_id in reversed(runs):
        undo_run(session, run_id, at=AT)
    assert state(session) == before


def test_undo_leaves_alone_what_was_changed_since(session: Session) -> None:
    first = do(session, [1, 2, 3], do="archive")
    do(session, [2], do="trash")
    assert first.run_id is not None
    done = undo_run(session, first.run_id, at=AT)
    assert done is not None
    assert (done.restored, done.left_alone) == (2, 1)
    assert [place for place, *_ in state(session).values()][:3] == ["Inbox", "Trash", "Inbox"]
    with pytest.raises(UndoneAlreadyError):
        undo_run(session, first.run_id, at=AT)


def test_where_nothing_can_be_put_back_the_undo_key_goes_on_to_what_was_before(
    session: Session,
) -> None:
    before = do(session, [2], do="flag")
    moved = do(session, [1], do="archive")
    do(session, [1], do="trash")
    last = last_run_to_undo(session, 0)
    assert last is not None
    session.connection().exec_driver_sql("UPDATE run SET lasting = 1 WHERE id = ?", (last.id,))
    assert moved.run_id is not None
    nothing = undo_run(session, moved.run_id, at=AT)
    assert nothing is not None
    assert (nothing.run_id, nothing.restored, nothing.left_alone) == (None, 0, 1)
    last = last_run_to_undo(session, 0)
    assert last is not None
    assert last.id == before.run_id


def test_the_undo_key_takes_back_the_last_thing_done_by_hand_one_after_the_other(
    session: Session,
) -> None:
    before = state(session)
    do(session, [1], do="archive")
    do(session, [1, 2], do="flag")
    for _ in range(2):
        last = last_run_to_undo(session, 0)
        assert last is not None
        assert last.id is not None
        undo_run(session, last.id, at=AT)
    assert state(session) == before
    assert last_run_to_undo(session, 0) is None


def test_all_of_a_folder_a_label_or_a_search_is_meant_but_for_some(session: Session) -> None:
    assert do(session, Selection(folder_id=1, leave_out=(2,)), do="flag").messages == MAIL - 1
    do(session, [1, 3], do="label", label="A")
    (label,) = list_labels(session)
    assert do(session, Selection(label_id=label.id), do="archive").saying == "2 messages archived"
    searched = Selection(search=understand('"permit 5" state:unread', NOW.date()).test)
    assert do(session, searched, do="read").saying == "1 message marked as read"
    assert do(session, searched, do="read").run_id is None  # nothing had to change
    assert selected_ids(session, Selection(folder_id=1)) == [2, 4, 5, 6]
    with pytest.raises(NotAnActError):
        act(session, Selection(ids=(1,)), ForwardAction(do="forward", to=("a@b.example",)), at=AT)


def test_a_copy_is_a_message_of_its_own_that_is_found_and_undone(session: Session) -> None:
    done = do(session, [1], do="copy", folder="Copies")
    assert done.saying == "1 message copied to Copies"
    test = understand('subject:"permit 0"', NOW.date()).test
    assert test is not None
    assert find_messages(session, test, UTC).total == 2
    do(session, [1], do="flag")
    (copied,) = [key for key, value in state(session).items() if value[0] == "Copies"]
    assert state(session)[copied][2] is False
    undo_run(session, done.run_id or 0, at=AT)
    assert find_messages(session, test, UTC).total == 1


def test_restore_goes_to_where_it_came_from_and_the_trail_says_who_moved_it(
    session: Session,
) -> None:
    do(session, [1], do="file", folder="Moorings")
    do(session, [1, 2], do="trash")
    do(session, [1, 2], do="restore")
    assert [place for place, *_ in state(session).values()][:2] == ["Moorings", "Inbox"]
    said = [step.saying for step in steps_of(session, 1)]
    assert said == [
        "Received",
        "Moved from Inbox to Moorings",
        "Moved from Moorings to Trash",
        "Moved from Trash to Moorings",
    ]


def test_put_back_undoes_what_a_rule_did_to_one_message(session: Session) -> None:
    rule = read_rule(
        {
            "name": "Permits",
            "when": {"field": "subject", "test": "words", "values": ["permit"]},
            "then": [{"do": "file", "folder": "Permits"}, {"do": "label", "label": "P"}],
        }
    )
    done = catch_up(session, add_rule(session, rule), at=AT)
    assert (done.moved, done.labelled) == (MAIL, MAIL)
    do(session, [2], do="put_back")
    assert state(session)[2] == ("Inbox", False, False, None, None, [])
    assert state(session)[1] == ("Permits", False, False, None, None, ["P"])
    run = fetch(session, "SELECT id FROM run WHERE actor = 'rules'")[0][0]
    undone = undo_run(session, run, at=AT)
    assert undone is not None
    assert (undone.restored, undone.left_alone) == (2 * MAIL - 2, 2)


def test_a_folder_is_renamed_moved_and_deleted_with_its_rules_and_its_mail(
    session: Session,
) -> None:
    inside = make_folder(session, "Moorings/Permits", at=AT)
    rule = read_rule(
        {
            "name": "r",
            "when": {"any": [{"field": "folder", "test": "is", "values": ["Moorings/Permits"]}]},
            "then": [{"do": "file", "folder": "moorings/permits"}],
        }
    )
    add_rule(session, rule)
    do(session, [1], do="file", folder="Moorings/Permits")
    outer = next(folder.id for folder in list_folders(session) if folder.path == "Moorings")
    assert move_folder(session, outer, name="Berths", parent_id=None, at=AT)
    document = list_rules(session)[0].rule.model_dump(mode="json")
    assert document["then"][0]["folder"] == "Berths/Permits"
    assert document["when"]["any"][0]["values"] == ["Berths/Permits"]
    before = state(session)
    run = delete_folder(session, outer, at=AT)
    assert state(session)[1][0] == "Trash"
    assert inside not in folder_paths(session)
    assert run is not None
    undo_run(session, run, at=AT)
    assert state(session) == before
    assert folder_paths(session)[inside] == "Berths/Permits"


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda s, a, b: move_folder(s, a, name="X", parent_id=b, at=AT), "into itself"),
        (lambda s, a, b: move_folder(s, b, name="inbox", parent_id=None, at=AT), "already"),
        (lambda s, a, b: move_folder(s, b, name="a/b", parent_id=None, at=AT), "without"),
        (lambda s, a, b: move_folder(s, 1, name="X", parent_id=None, at=AT), "special"),
        (lambda s, a, b: delete_folder(s, folder_with_role(s, "trash"), at=AT), "special"),
        (lambda s, a, b: make_folder(s, "MOORINGS", at=AT), "already"),
        (lambda s, a, b: make_folder(s, "a//b", at=AT), "every level"),
    ],
)
def test_what_a_folder_can_not_be_is_refused_in_words(
    session: Session, change: Any, said: str
) -> None:
    below = make_folder(session, "Moorings/Permits", at=AT)
    outer = next(folder.id for folder in list_folders(session) if folder.path == "Moorings")
    with pytest.raises(FolderError, match=said):
        change(session, outer, below)


def test_a_label_is_renamed_recoloured_and_deleted_and_comes_back_with_its_mail(
    session: Session,
) -> None:
    label = make_label(session, "Permit", "plum", at=AT)
    do(session, [1, 2], do="label", label="permit")
    assert change_label(session, label, name="Licence", colour="moss", at=AT)
    before = state(session)
    assert before[1][-1] == ["Licence"]
    run = delete_label(session, label, at=AT)
    (last_run,) = list_runs(session, before=None, limit=1)
    assert (last_run.id, last_run.actor, last_run.saying) == (
        run,
        "person",
        "Label “Licence” deleted",
    )
    assert list_labels(session) == []
    undo_run(session, run or 0, at=AT)
    assert state(session) == before
    with pytest.raises(LabelError, match="already"):
        make_label(session, "LICENCE", None, at=AT)


def test_what_leaves_the_trash_next_is_counted_up_to_its_hour(session: Session) -> None:
    until_four = 19 * 3600  # emptied at four in the morning of a day thirty days later
    for number, later in enumerate((0, until_four, until_four + 1, 2 * DAY)):
        do(session, [number + 1], do="trash", at=AT + later)
    emptying = next_emptying(session)
    assert emptying is not None
    assert emptying.messages == 2


def test_the_trash_and_the_erased_are_destroyed_when_their_time_has_passed(
    session: Session,
) -> None:
    do(session, [1, 2], do="trash")
    do(session, [3], do="erase")
    assert message_row(session, 3) is None
    assert list_messages(session, folder_id=1).total == MAIL - 3
    emptying = next_emptying(session)
    assert emptying is not None
    four_in_the_morning = AT + 30 * DAY + 19 * 3600
    assert (emptying.at, emptying.messages) == (four_in_the_morning, 2)
    assert clear_out(session, now=AT + 30 * DAY - 1) == 0
    assert clear_out(session, now=AT + 30 * DAY) == 3
    test = understand("permit", NOW.date()).test
    assert test is not None
    assert find_messages(session, test, UTC).total == MAIL - 3
    left = fetch(session, "SELECT count(*) FROM message_octets")
    assert left == [(MAIL - 3,)]
    assert next_emptying(session) is None
    runs = list_runs(session, before=None, limit=2)
    assert {(run.saying, run.messages, run.can_be_undone) for run in runs} == {
        ("Gone from the trash for good", 2, False),
        ("Erased mail destroyed for good", 1, False),
    }
    with pytest.raises(GoneForGoodError):
        undo_run(session, runs[0].id, at=AT)


def test_a_folder_is_due_when_its_time_has_passed_and_unread_mail_waits(session: Session) -> None:
    from mnemic.store.mail.folders import look_into, set_look_in

    assert set_look_in(session, 1, 7, at=AT)
    session.flush()
    (inbox,) = [folder for folder in list_folders(session) if folder.role == "inbox"]
    assert [inbox.due(AT + days * DAY) for days in (0, 6, 7)] == [False, False, True]
    look_into(session, 1, at=AT + DAY)
    assert set_look_in(session, 1, 2, at=AT + 9 * DAY)  # another number begins no new time
    (inbox,) = [folder for folder in list_folders(session) if folder.role == "inbox"]
    assert [inbox.due(AT + days * DAY) for days in (2, 3)] == [False, True]
    do(session, Selection(folder_id=1), do="read")
    (inbox,) = [folder for folder in list_folders(session) if folder.role == "inbox"]
    assert not inbox.due(AT + 8 * DAY)


def test_undo_and_redo_say_what_was_done_first_however_often(session: Session) -> None:
    done = do(session, [1, 2, 3], do="archive")
    run_id, sayings = done.run_id, []
    for _ in range(4):
        assert run_id is not None
        undone = undo_run(session, run_id, at=AT)
        assert undone is not None
        sayings.append((undone.saying, undone.again))
        run_id = undone.run_id
    what = "3 messages archived"
    assert sayings == [(f"Undone: {what}", False), (f"Done again: {what}", True)] * 2
    assert [run.saying for run in list_runs(session, before=None, limit=5)] == [
        *[said for said, _ in reversed(sayings)],
        what,
    ]


def test_a_part_that_is_undone_and_done_again_is_told_as_a_part(session: Session) -> None:
    rule = read_rule(
        {
            "name": "Permits",
            "when": {"field": "subject", "test": "words", "values": ["permit"]},
            "then": [{"do": "label", "label": "Red"}],
        }
    )
    catch_up(session, add_rule(session, rule), at=AT)
    run = fetch(session, "SELECT id FROM run WHERE actor = 'rules'")[0][0]
    part = undo_run(session, run, at=AT, part=RunPart(message_id=2))
    assert part is not None
    assert part.run_id is not None
    assert part.saying.startswith("Undone in part: Catch-up with")
    again = undo_run(session, part.run_id, at=AT)
    assert again is not None
    assert again.saying.startswith("Done again in part: Catch-up with")
    assert labels_of(session, [1, 2]) == {1: ["Red"], 2: ["Red"]}


@pytest.mark.parametrize(
    ("there", "named"), [("Übung", "übung"), ("Straße", "STRASSE"), ("Ｆｕｌｌ", "full")]
)
def test_names_are_the_same_however_they_are_written(
    session: Session, there: str, named: str
) -> None:
    """Folding is that of the rule document: case, width, white space."""
    make_label(session, there, "moss", at=AT)
    folder_id = make_folder(session, f"Top/{there}", at=AT)
    with pytest.raises(LabelError):
        make_label(session, named, None, at=AT)
    then = [{"do": "file", "folder": f"top/{named}"}, {"do": "label", "label": named}]
    rule = read_rule({"name": "R", "when": {"always": True}, "then": then})
    done = catch_up(session, add_rule(session, rule), at=AT)
    assert (done.moved, done.labelled) == (MAIL, MAIL)
    assert [label.name for label in list_labels(session)] == [there]
    assert list_messages(session, folder_id=folder_id).total == MAIL
    do(session, [2], do="put_back")
    assert state(session)[2] == ("Inbox", False, False, None, None, [])
    change_label(session, 1, name=f"{there} new", colour="moss", at=AT)
    (stored,) = list_rules(session)
    assert stored.rule.then[1].saying == f"label it {there} new"
