"""Rules handed over to the stand-in, which sorts by them; what it did is told, and comes back."""

import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from mnemic.jobs.people.reasons import deeds_of, undone_deeds_of
from mnemic.jobs.server import handing_over, script_upkeep
from mnemic.jobs.server.handing_over import NotHandedOverError
from mnemic.jobs.server.letting_act import RulesThereError, let_act
from mnemic.jobs.server.line_as_script import LineScript, line_as_script
from mnemic.jobs.server.passing import IN_STEP
from mnemic.jobs.shared.watched import WatchedError
from mnemic.post.failures import CommandRefusedError
from mnemic.post.managesieve import Listed, NoScriptRoomError, managing_scripts
from mnemic.store.journal.history import list_runs
from mnemic.store.journal.trail import TrailEntry
from mnemic.store.journal.undo import undo_run
from mnemic.store.line.rules import list_rules, replace_rule
from mnemic.store.mail.outbox import list_posted
from mnemic.store.server.connections import connection_of
from tests.jobs.server.handing import PERMITS, Handed, handing, rule

VACATION = b'require "vacation";\r\nvacation "Away till Monday.";\r\n'


def told(entry: TrailEntry) -> tuple[str, str, list[str], list[str]]:
    return entry.event, entry.rule_name, deeds_of(entry), undone_deeds_of(entry)


def test_the_server_sorts_and_the_trail_says_so_with_evidence(handed: Handed) -> None:
    both = handed.both
    both.rule(
        "permit", *PERMITS, {"do": "colour", "colour": "moss"}, {"do": "copy", "folder": "All"}
    )
    handed.hand_over()
    called = handed.deliver("Your permit")
    assert sorted(both.where_there(called)) == ["All", "Permits"]  # nobody else was there
    report = handed.passing()
    assert (len(report.arrived), report.sorted) == (2, 1)
    assert both.where_here(called) == ["All", "Permits"]
    (entry,) = handed.trail(called)
    done = [
        "filed in Permits",
        "labelled Permit",
        "marked as read",
        "coloured moss",
        "copied to All",
    ]
    assert told(entry) == ("server", "permit", done, [])
    assert [(piece.field, piece.value[piece.start : piece.end]) for piece in entry.evidence] == [
        ("subject", "permit")
    ]
    both.compare()
    with both.database.reading() as session:
        runs = {run.saying: run.id for run in list_runs(session, before=None, limit=20)}
    with both.database.writing() as session:
        undo_run(session, runs["Sorted by the server as it came in"] or 0, at=int(time.time()))
    handed.passing()
    assert both.where_there(called) == ["INBOX"]  # the copy is gone, too
    both.compare()


def test_what_no_script_can_say_runs_here_after_it_and_nothing_is_sent_twice(
    tmp_path: Path,
) -> None:
    with handing(tmp_path, "--without", "regex") as handed:
        both, x, z = handed.both, "x@y.example", "z@y.example"
        both.rule("permit", {"do": "label", "label": "Permit"}, {"do": "forward", "to": [x]})
        rule(
            both,
            "any p",
            {"field": "subject", "test": "regex", "values": ["p.rmit"]},
            {"do": "file", "folder": "Patterns"},
            {"do": "forward", "to": [x, z]},
        )
        handed.passing()
        handed.hand_over()
        assert [carried.rule.name for carried in handed.script().rules] == ["permit"]
        called, other = handed.deliver("permit"), handed.deliver("pirmit")
        handed.passing()
        assert both.where_here(called) == both.where_here(other) == ["Patterns"]
        assert [told(entry) for entry in handed.trail(called)] == [
            ("server", "permit", ["labelled Permit", f"forwarded to {x}"], []),
            ("arrival", "any p", ["filed in Patterns", f"forwarded to {x} and {z}"], []),
        ]
        rule(both, "early", {"always": True}, {"do": "file", "folder": "All"})
        handed.passing()
        taken = handed.deliver("pirmit, too")
        handed.passing()
        assert [told(entry) for entry in handed.trail(taken)] == [
            ("server", "early", ["filed in All"], []),
            (
                "arrival",
                "any p",
                [],
                [
                    f"not {done}, because it runs here, on what the server leaves in the inbox"
                    for done in ("filed in Patterns", f"forwarded to {x} and {z}")
                ],
            ),
        ]
        with both.database.reading() as session:
            letters = sorted(
                (posted.message_id, posted.recipient) for posted in list_posted(session)
            )
        assert [to for _, to in letters] == [z, x, z]  # to x the server has sent the first
        both.compare()


def test_where_the_core_would_have_done_otherwise_that_is_told(handed: Handed) -> None:
    both = handed.both
    both.rule("permit", *PERMITS)
    both.rule("plans", {"do": "erase"})
    handed.hand_over()
    wide, plans = handed.deliver("\uff30\uff25\uff32\uff2d\uff29\uff34"), handed.deliver("plans")
    both.device.create("Permits")
    strange = both.send("Permits", "minutes")  # somebody else put it there
    handed.passing()
    assert both.where_here(wide) == ["Inbox"]  # to the server full-width letters are others
    not_done = [
        "not filed in Permits, because the server left it in the inbox",
        "not labelled Permit, because the server did not",
        "not marked as read, because the server did not",
    ]
    assert [told(line) for line in handed.trail(wide)] == [("server", "permit", [], not_done)]
    held = "not erased, because the server holds it back in Mnemic / Held back"
    assert [told(line) for line in handed.trail(plans)] == [("server", "plans", [], [held])]
    assert both.where_here(plans) == ["Mnemic/Held back"]
    (entry,) = handed.trail(strange)
    assert (entry.event, entry.rule_id, entry.rule_name, entry.folder) == (
        "server",
        None,
        "",
        "Permits",
    )
    both.compare()


def test_who_has_written_before_is_known_there_whatever_was_written(handed: Handed) -> None:
    asked = [{"field": "subject", "test": "words", "values": ["permit"]},
             {"field": "contact", "test": "is", "values": ["first"]}]  # fmt: skip
    rule(handed.both, "new", {"all": asked}, {"do": "file", "folder": "New"})
    rule(handed.both, "all", {"always": True}, {"do": "flag"})
    handed.hand_over()
    sent = []
    for subject, sender in (
        ("minutes", "ann"),
        ("permit", "ann"),
        ("permit", "bob"),
        ("permit", "bob"),
    ):
        sent.append(handed.deliver(subject, sender=sender))
        time.sleep(1.1)  # of two in one second neither came before the other
    handed.passing()
    assert [handed.both.where_here(called) for called in sent] == [
        ["Inbox"],
        ["Inbox"],
        ["New"],
        ["Inbox"],
    ]
    assert [undone_deeds_of(entry) for called in sent for entry in handed.trail(called)] == [[]] * 5


def test_mail_from_before_the_server_sorted_is_sorted_here(handed: Handed) -> None:
    both = handed.both
    both.rule("permit", *PERMITS)
    early = handed.deliver("permit")
    handed.hand_over()
    late = handed.deliver("permit")
    handed.passing()
    assert [entry.event for entry in (*handed.trail(early), *handed.trail(late))] == [
        "arrival",
        "server",
    ]
    both.compare()


def test_what_ran_before_is_kept_and_comes_back_and_ours_goes(handed: Handed) -> None:
    both = handed.both
    both.rule("permit", *PERMITS)
    with managing_scripts(handed.access) as server:
        server.put("away", VACATION)
        server.activate("away")
    handed.hand_over()
    assert handed.there() == Listed(("Mnemic", "away"), "Mnemic")
    assert (handed.script().before_name, handed.script().before) == ("away", VACATION)
    with managing_scripts(handed.access) as server:
        server.delete("away")  # somebody tidies up: here it is still kept
    called = handed.deliver("permit")
    handed.bring_back()
    assert handed.there() == Listed(("away",), "away")
    with managing_scripts(handed.access) as server:
        assert server.get("away") == VACATION
    assert (handed.script().runs, handed.line()) == ("here", IN_STEP)
    assert [entry.event for entry in handed.trail(called)] == ["server"]
    later = handed.deliver("permit")
    handed.passing()
    assert [entry.event for entry in handed.trail(later)] == ["arrival"]
    with pytest.raises(NotHandedOverError, match="run here already"):
        handed.bring_back()


def test_every_change_of_the_line_is_put_there_by_itself(handed: Handed) -> None:
    both = handed.both
    both.rule("permit", *PERMITS)
    handed.hand_over()
    with both.database.writing() as session:
        (stored,) = list_rules(session)
        replace_rule(session, stored.id, stored.rule.model_copy(update={"enabled": False}))
    both.rule("invoice", {"do": "file", "folder": "Invoices"})
    handed.passes.over(both.account_id)
    called = handed.deliver("permit and invoice")
    assert both.where_there(called) == ["Invoices"]
    assert [rule.rule.name for rule in handed.script().rules] == ["invoice"]


def test_a_script_that_somebody_has_changed_is_told_and_never_overwritten(handed: Handed) -> None:
    both = handed.both
    both.rule("permit", *PERMITS)
    handed.hand_over()
    with managing_scripts(handed.access) as server:
        server.put("Mnemic", b"keep;\r\n")
    both.rule("invoice", {"do": "file", "folder": "Invoices"})
    called = handed.deliver("permit")
    handed.passing()
    assert handed.line() == "somebody has changed the script “Mnemic” on the server"
    assert handed.script().asks
    with managing_scripts(handed.access) as server:
        assert server.get("Mnemic") == b"keep;\r\n"
    assert both.where_here(called) == ["Inbox"]  # what rests there does not run here unasked
    handed.hand_over()  # asked for: theirs is what ran before
    assert handed.there() == Listed(("Mnemic", "Mnemic 2"), "Mnemic 2")
    assert (handed.script().before_name, handed.script().before) == ("Mnemic", b"keep;\r\n")
    assert handed.line() == IN_STEP
    handed.bring_back()
    assert handed.there() == Listed(("Mnemic",), "Mnemic")


def test_another_script_that_runs_since_is_told_and_goes_on_running(handed: Handed) -> None:
    handed.both.rule("permit", *PERMITS)
    handed.hand_over()
    with managing_scripts(handed.access) as server:
        server.put("away", VACATION)
        server.activate("away")
    handed.passing()
    assert handed.line() == "the script “away” runs on the server now, and not the rules"
    handed.bring_back()
    assert handed.there() == Listed(("away",), "away")
    assert (handed.script().runs, handed.line()) == ("here", IN_STEP)


def test_a_server_that_refuses_or_has_no_room_changes_nothing(tmp_path: Path) -> None:
    with handing(tmp_path, "--script-space", "3000") as one:
        one.both.rule("permit", *PERMITS)
        one.passing()
        with managing_scripts(one.access) as server:
            server.put("away", VACATION + b"#" * 2_300)
            server.activate("away")
        with pytest.raises(NoScriptRoomError, match="no room"):
            one.hand_over()
        assert one.there() == Listed(("away",), "away")
        assert not one.script().sorts_there
        called = one.deliver("permit")
        one.passing()
        assert [entry.event for entry in one.trail(called)] == ["arrival"]
        with managing_scripts(one.access) as server:
            server.put("away", VACATION)
        one.hand_over()
        many = {"field": "subject", "test": "contains", "values": [f"no {n}" for n in range(200)]}
        rule(one.both, "many", many, {"do": "file", "folder": "Many"})
        one.passing()
        assert "goes on with the rules as they were: " in one.line()
        assert "no room" in one.line()
        assert [carried.rule.name for carried in one.script().rules] == ["permit"]
        late = one.deliver("permit")
        one.passing()
        assert [entry.event for entry in one.trail(late)] == ["server"]


def test_a_script_that_the_server_refuses_changes_nothing(
    handed: Handed, monkeypatch: pytest.MonkeyPatch
) -> None:
    def spoilt(*asked: Any) -> LineScript:
        return replace(line_as_script(*asked), octets=b"foo;")

    handed.both.rule("permit", *PERMITS)
    with monkeypatch.context() as spoiling:
        spoiling.setattr(handing_over, "line_as_script", spoilt)
        with pytest.raises(CommandRefusedError, match="no such command: foo"):
            handed.hand_over()
    assert handed.there() == Listed((), None)
    handed.hand_over()
    monkeypatch.setattr(script_upkeep, "line_as_script", spoilt)
    handed.passing()
    assert "as they were: " in handed.line()
    assert "no such command: foo" in handed.line()
    with managing_scripts(handed.access) as server:
        assert server.get("Mnemic") == handed.script().put


def test_an_account_that_is_only_watched_hands_nothing_over(tmp_path: Path) -> None:
    with handing(tmp_path, acting=False) as one:
        with pytest.raises(WatchedError, match="only watched"):
            one.hand_over()
        with one.both.database.writing() as session:
            connection = connection_of(session, one.both.account_id)
            assert connection is not None
            let_act(session, connection, acting=True)
        one.both.rule("permit", *PERMITS)
        one.hand_over()
        with one.both.database.writing() as session, pytest.raises(RulesThereError, match="bring"):
            let_act(session, connection, acting=False)
