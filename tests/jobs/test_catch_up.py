"""Catch-up: told exactly beforehand, done in batches, interrupted and gone on with, undone."""

import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlmodel import Session

from mnemic.core import parse_message, read_rule
from mnemic.core.actions import FileAction
from mnemic.demo import DemoMessage, add_rules
from mnemic.jobs import rehearse, take_in
from mnemic.jobs.catch_up import running as catching_up
from mnemic.jobs.catch_up.passing import CatchUpReport
from mnemic.jobs.catch_up.planning import CatchUpPlan, NothingToDoError
from mnemic.jobs.catch_up.preview import preview_catch_up
from mnemic.jobs.catch_up.running import finish_catch_up, step_catch_up
from mnemic.jobs.catch_up.worker import Worker
from mnemic.jobs.people.acts import act
from mnemic.store import Database
from mnemic.store.engine.sql import fetch
from mnemic.store.journal.undo import undo_run
from mnemic.store.line.catch_ups import get_job, jobs_to_do
from mnemic.store.line.rules import StoredRule, add_rule, list_rules
from mnemic.store.mail.folders import folder_paths
from mnemic.store.mail.listing import message_ids
from mnemic.store.mail.message_views import stored_messages
from mnemic.store.search.selection import Selection
from tests.jobs.catching_up import run, start

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
AT = int(NOW.timestamp())


def where(session: Session) -> dict[int, tuple[str, tuple[str, ...], bool]]:
    stored = stored_messages(session, message_ids(session))
    return {
        message.id: (message.state.folder, message.state.labels, message.state.seen)
        for message in stored
    }


def rule(name: str, word: str, *then: dict[str, Any], **more: Any) -> Any:
    when = {"field": "subject", "test": "words", "values": [word]}
    return read_rule({"name": name, "when": when, "then": list(then), **more})


def to(folder: str) -> dict[str, Any]:
    return {"do": "file", "folder": folder}


@pytest.fixture
def demo(database: Database, demo_mail: list[DemoMessage]) -> Database:
    with database.writing() as session:
        for message in demo_mail[::5]:
            take_in(session, parse_message(message.octets), received=message.received, rules=[])
        add_rules(session)
    return database


def test_what_is_told_beforehand_is_what_is_done(demo: Database) -> None:
    with demo.reading() as session:
        before = where(session)
        plan = CatchUpPlan(tuple(rule.id for rule in list_rules(session)))
        examined, preview = preview_catch_up(session, plan, now=NOW)
        assert where(session) == before  # nothing has happened
    with demo.writing() as session:
        done = run(session, plan, at=AT)
        after = where(session)
        again = run(session, plan, at=AT + 1)
        assert (again.moved, again.labelled, again.unchanged) == (0, 0, preview.taken)
    assert (done, examined) == (preview, len(before))
    moved = [key for key in before if before[key][0] != after[key][0]]
    assert len(moved) == preview.moved == sum(preview.places.values()) > 20
    for path, count in preview.places.items():
        assert sum(after[key][0].casefold() == path.casefold() for key in moved) == count
    with demo.writing() as session:
        ((run_id,),) = fetch(session, "SELECT id FROM run WHERE actor = 'rules'")
        undone = undo_run(session, run_id, at=AT + 2)
        assert undone is not None
        assert (undone.left_alone, where(session)) == (0, before)


def test_an_interrupted_catch_up_goes_on_and_does_nothing_twice(
    demo: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(catching_up, "_BATCH", 10)
    with demo.writing() as session:
        plan = CatchUpPlan(tuple(rule.id for rule in list_rules(session)))
        _, preview = preview_catch_up(session, plan, now=NOW)
        job = start(session, plan, now=NOW)
    for _ in range(3):
        with demo.writing() as session:
            assert step_catch_up(session, job.id)

    def killed_before_its_transaction_was_on_disk() -> None:
        with demo.writing() as session:
            step_catch_up(session, job.id)
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        killed_before_its_transaction_was_on_disk()
    with demo.reading() as session:
        (left,) = jobs_to_do(session)
        assert (left.done, left.total) == (30, preview.taken)
    more = True
    while more:
        with demo.writing() as session:
            more = step_catch_up(session, job.id)
    with demo.reading() as session:
        done = get_job(session, job.id)
        assert done is not None
        assert (done.state, CatchUpReport.model_validate_json(done.report)) == ("done", preview)
        twice = "SELECT count(*) FROM journal WHERE slot = 'folder_id' GROUP BY entity_id HAVING count(*) > 1"
        assert fetch(session, twice) == []


def test_a_catch_up_that_is_stopped_keeps_what_it_did_and_is_undone(
    demo: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(catching_up, "_BATCH", 10)
    with demo.writing() as session:
        before = where(session)
        job = start(session, CatchUpPlan(tuple(e.id for e in list_rules(session))), now=NOW)
        step_catch_up(session, job.id)
        finish_catch_up(session, job.id, "stopped")
        assert not step_catch_up(session, job.id)
        assert jobs_to_do(session) == []
        changed = [key for key, place in where(session).items() if place != before[key]]
        assert 0 < len(changed) <= 10
        undo_run(session, job.run_id or 0, at=AT)
        assert where(session) == before
        ((saying,),) = fetch(session, "SELECT saying FROM run WHERE id = :id", id=job.run_id)
    assert saying == "Catch-up with 8 rules, stopped half way"


def mailbox(session: Session, *rules: Any) -> tuple[list[int], tuple[StoredRule, ...]]:
    octets = [f"Subject: permit {n}\n\n".encode() for n in range(3)]
    ids = [
        take_in(
            session, parse_message(written), received=NOW - timedelta(days=n), rules=[]
        ).message_id
        for n, written in enumerate(octets)
    ]
    return ids, tuple(add_rule(session, rule) for rule in rules)


def test_what_i_moved_after_a_rule_is_respected_unless_asked(database: Database) -> None:
    with database.writing() as session:
        ids, (stored,) = mailbox(session, rule("one", "permit", to("A")))
        plan = CatchUpPlan((stored.id,))
        run(session, plan, at=AT)
        act(session, Selection(ids=(ids[0],)), FileAction(do="file", folder="Mine"), at=AT + 5)
        seen = rehearse(session, stored.rule, rule_id=stored.id, now=NOW)
        assert (seen.takes, seen.settled, seen.respected) == (3, 2, 1)
        assert rehearse(session, stored.rule, now=NOW).respected == 0
        report = run(session, plan, at=AT + 10)
        assert (report.respected, report.moved, where(session)[ids[0]][0]) == (1, 0, "Mine")
        asked = CatchUpPlan((stored.id,), respects=False)
        assert run(session, asked, at=AT + 11).moved == 1
        assert where(session)[ids[0]][0] == "A"


def test_an_undone_catch_up_can_be_done_again(database: Database) -> None:
    with database.writing() as session:
        _, (stored,) = mailbox(session, rule("one", "permit", to("A")))
        plan = CatchUpPlan((stored.id,))
        run(session, plan, at=AT)
        ((run_id,),) = fetch(session, "SELECT id FROM run WHERE actor = 'rules'")
        undo_run(session, run_id, at=AT + 1)
        assert run(session, plan, at=AT + 2).moved == 3


def test_several_rules_act_in_their_order_and_each_change_says_whose_it_is(
    database: Database,
) -> None:
    with database.writing() as session:
        label = {"do": "label", "label": "L"}
        ids, (first, second) = mailbox(
            session, rule("one", "permit", to("A")), rule("two", "permit", to("B"), label)
        )
        report = run(session, CatchUpPlan((second.id, first.id)), at=AT)
        assert report.places == {"A": 3}
        shares = {key: (share.taken, share.overruled) for key, share in report.by_rule.items()}
        assert shares == {first.id: (3, 0), second.id: (3, 3)}
        owners = fetch(
            session, "SELECT DISTINCT slot, rule_id FROM journal WHERE entity = 'message'"
        )
        assert set(owners) == {("folder_id", first.id), ("label", second.id)}
        assert where(session)[ids[0]][:2] == ("A", ("L",))


@pytest.mark.parametrize(
    ("limits", "moved"),
    [
        ({"since": AT - 86_400}, 2),
        ({"until": AT}, 2),
        ({"since": AT - 86_400, "until": AT}, 1),
        ({"which": Selection(ids=(1, 3))}, 2),
        ({"which": Selection(folder_id=1)}, 3),
        ({"which": Selection(folder_id=2)}, 0),
    ],
)
def test_only_the_mail_that_was_asked_about_is_touched(
    database: Database, limits: dict[str, Any], moved: int
) -> None:
    with database.writing() as session:
        _, (stored,) = mailbox(session, rule("one", "permit", to("A")))
        assert run(session, CatchUpPlan((stored.id,), **limits), at=AT).moved == moved


def test_rules_that_are_gone_are_told(database: Database) -> None:
    with database.reading() as session, pytest.raises(NothingToDoError):
        preview_catch_up(session, CatchUpPlan((7,)), now=NOW)


def test_the_worker_does_what_waits_and_what_was_left_from_before(
    demo: Database, tmp_path: Path
) -> None:
    with demo.writing() as session:
        plan = CatchUpPlan(tuple(rule.id for rule in list_rules(session)))
        jobs = [start(session, plan, now=NOW).id for _ in range(2)]
        assert "Gauges" in folder_paths(session).values()
    worker = Worker(demo, tmp_path / "queue.sqlite3")
    worker.start()  # finds both
    try:
        waited = time.monotonic()
        while time.monotonic() - waited < 60:
            with demo.reading() as session:
                if not jobs_to_do(session):
                    break
            time.sleep(0.05)
        with demo.reading() as session:
            first, second = (get_job(session, job) for job in jobs)
    finally:
        worker.stop()
    assert first is not None
    assert second is not None
    assert (first.state, second.state) == ("done", "done")
    reports = [CatchUpReport.model_validate_json(job.report) for job in (first, second)]
    assert reports[0].moved > 0
    assert (reports[1].moved, reports[1].unchanged) == (0, reports[0].taken)
