"""What rules do to mail as it comes in stands in the journal: it is undone whole or by rule."""

from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter
from sqlmodel import Session

from mnemic.core import parse_message, read_rule
from mnemic.core.actions import Action
from mnemic.demo import DemoMessage, add_rules
from mnemic.jobs import take_in
from mnemic.jobs.intake.arrival import SORTED
from mnemic.jobs.people.acts import act
from mnemic.jobs.people.message_history import steps_of
from mnemic.store import Database
from mnemic.store.journal.history import HistoryRun, list_runs, shares_of_run
from mnemic.store.journal.undo import RunPart, undo_run
from mnemic.store.line.rules import add_rule
from mnemic.store.mail.folders import folder_paths, folder_with_role
from mnemic.store.owner.preferences import Preferences, change_preferences
from mnemic.store.search.selection import Selection
from tests.jobs.acting import state

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
AT = int(NOW.timestamp())
_ACT: TypeAdapter[Any] = TypeAdapter(Action)


def sorting_runs(session: Session) -> list[HistoryRun]:
    runs = list_runs(session, before=None, limit=200)
    return [run for run in runs if run.saying == SORTED][::-1]


def test_undoing_what_was_sorted_on_arrival_leaves_mail_as_without_rules(
    database: Database, demo_mail: list[DemoMessage], tmp_path: Path
) -> None:
    mail = demo_mail[::9]
    unsorted = Database(tmp_path / "unsorted.sqlite3")
    with unsorted.writing() as session:
        for message in mail:
            take_in(session, parse_message(message.octets), received=message.received, rules=[])
        without_rules = list(state(session).values())
    unsorted.close()
    marks = [{"do": "flag"}, {"do": "colour", "colour": "moss"}, {"do": "read"}]
    copies = [{"do": "priority", "level": "low"}, {"do": "copy", "folder": "Twice"}]
    with database.writing() as session:
        add_rules(session)
        for then in (marks, copies):
            rule = {"name": "all of it", "when": {"always": True}, "then": then}
            add_rule(session, read_rule(rule))
        for message in mail:
            take_in(session, parse_message(message.octets), received=message.received)
        runs = sorting_runs(session)
        assert len(runs) == len({message.received.date() for message in mail}) > 5
        assert sum(run.messages for run in runs) > len(mail)
        undone = [undo_run(session, run.id, at=AT) for run in runs]
        assert {undoing.left_alone for undoing in undone if undoing} == {0}
        erased = folder_paths(session)[folder_with_role(session, "erased")]
        after = [row for row in state(session).values() if row[0] != erased]
    assert after == without_rules


def test_a_day_of_arrivals_is_one_run_by_the_owners_calendar(database: Database) -> None:
    when: dict[str, Any] = {"always": True}
    with database.writing() as session:
        change_preferences(session, Preferences(timezone="Asia/Tokyo"))
        folder = add_rule(
            session, read_rule({"name": "f", "when": when, "then": [{"do": "file", "folder": "F"}]})
        )
        add_rule(session, read_rule({"name": "x", "when": when, "then": [{"do": "flag"}]}))
        hours = (5, 14, 16, 20)  # 15:00 UTC is midnight there
        for hour in hours:
            moment = datetime(2026, 5, 4, hour, tzinfo=UTC)
            take_in(session, parse_message(b"Subject: a\n\n"), received=moment)
        first, second = sorting_runs(session)
        assert (first.messages, second.messages) == (2, 2)
        assert {share.messages for share in shares_of_run(session, first.id)} == {2}
        part = undo_run(session, first.id, at=AT, part=RunPart(rule_id=folder.id))
        assert part is not None
        assert (part.restored, [run.undone for run in sorting_runs(session)]) == (2, [False] * 2)
        undo_run(session, second.id, at=AT)
        take_in(session, parse_message(b"Subject: b\n\n"), received=NOW + timedelta(hours=12))
        assert [run.messages for run in sorting_runs(session)] == [2, 2, 1]


def test_everything_that_happened_to_a_message_is_told_in_order(database: Database) -> None:
    file = {"name": "f", "when": {"always": True}, "then": [{"do": "file", "folder": "F"}]}
    acts: list[Any] = [
        {"do": "label", "label": "L"}, {"do": "unlabel", "label": "L"}, {"do": "colour", "colour": "moss"},
        {"do": "colour", "colour": "plum"}, {"do": "flag"}, {"do": "read"}, {"do": "erase"},
    ]  # fmt: skip
    with database.writing() as session:
        add_rule(session, read_rule(file))
        key = take_in(session, parse_message(b"Subject: a\n\n"), received=NOW).message_id
        for number, what in enumerate(acts):
            done = act(session, Selection(ids=(key,)), _ACT.validate_python(what), at=AT + number)
        undo_run(session, done.run_id or 0, at=AT + 20)
        steps = steps_of(session, key)
        copy = _ACT.validate_python({"do": "copy", "folder": "G"})
        act(session, Selection(ids=(key,)), copy, at=AT + 30)
        copied = steps_of(session, key + 1)
    assert [step.saying for step in steps] == [
        "Received",
        "Labelled L",
        "No longer labelled L",
        "Coloured moss",
        "Coloured plum, before moss",
        "Flagged",
        "Marked as read",
        "Erased",
        "Brought back to F, undoing “1 message erased”",
    ]
    assert [step.at for step in steps] == sorted(step.at for step in steps)
    assert [step.saying for step in steps if step.minor] == ["Received", "Marked as read"]
    assert [event.saying for event in copied] == ["Received", "Copied to G"]
