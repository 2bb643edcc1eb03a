"""The line as people work on it: changes, undo, versions, examples, the order check, documents."""

from datetime import UTC, datetime
from typing import Any

import pytest
from sqlmodel import Session

from mnemic.core import (
    Rule,
    RuleDocumentError,
    parse_message,
    read_rule,
    read_rule_document,
)
from mnemic.jobs import take_in
from mnemic.jobs.line.line_changes import (
    change_rule,
    copy_rules,
    delete_rules,
    make_rule,
    switch_rules,
)
from mnemic.jobs.line.order_findings import check_order
from mnemic.jobs.line.remedies import remedy
from mnemic.jobs.line.rule_documents import compare_rules, document_of, take_incoming
from mnemic.jobs.people.what_if import what_if
from mnemic.jobs.rehearsal.examples import broken_examples
from mnemic.jobs.rehearsal.proposals import propose
from mnemic.store import Database
from mnemic.store.journal.undo import undo_run
from mnemic.store.line.pins import Pin, change_pins, pins_of_rules
from mnemic.store.line.rule_versions import versions_of
from mnemic.store.line.rules import StoredRule, list_rules
from mnemic.store.mail.folders import folder_paths

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)


def rule(name: str, words: str, *then: dict[str, Any], **more: Any) -> Rule:
    when = {"field": "subject", "test": "words", "values": words.split()}
    return read_rule(
        {"name": name, "when": {"all": [when]}, "then": list(then) or [to("A")], **more}
    )


def to(folder: str) -> dict[str, Any]:
    return {"do": "file", "folder": folder}


def names(session: Session) -> list[str]:
    return [
        f"{rule.rule.name}{'' if rule.rule.enabled else ' off'}" for rule in list_rules(session)
    ]


def mail(session: Session, *subjects: str) -> list[int]:
    octets = [f"From: a@x.example\nSubject: {subject}\n\nx".encode() for subject in subjects]
    return [
        take_in(session, parse_message(written), received=NOW, rules=[]).message_id
        for written in octets
    ]


def test_whatever_is_done_to_the_line_is_undone(database: Database) -> None:
    with database.writing() as session:
        made = make_rule(session, rule("one", "permit", to("Moorings/Permits")), at=1)
        make_rule(session, rule("two", "offer"), at=2)
        first, second = list_rules(session)
        done = [
            copy_rules(session, [first.id, second.id], at=3),
            switch_rules(session, [first.id], on=False, at=4),
            delete_rules(session, [first.id, second.id], at=5),
        ]
        assert names(session) == ["one, copy off", "two, copy off"]
        said = ["2 rules copied", "Rule “one” switched off", "2 rules deleted"]
        assert [act.saying for act in done] == said
        steps = []
        for act in reversed(done):
            undo_run(session, act.run_id or 0, at=6)
            steps.append(names(session))
        assert steps[0] == [
            "one off",
            "one, copy off",
            "two",
            "two, copy off",
        ]
        assert steps[-1] == ["one", "two"]
        undo_run(session, made.run_id or 0, at=7)  # the folders that it made go, too
        assert names(session) == ["two"]
        assert "Moorings" not in folder_paths(session).values()


def test_every_saved_version_is_kept_with_its_day(database: Database) -> None:
    with database.writing() as session:
        make_rule(session, rule("one", "permit"), at=1)
        (stored,) = list_rules(session)
        change_rule(session, stored.id, rule("one", "permit licence"), at=2)
        switch_rules(session, [stored.id], on=False, at=3)
        versions = versions_of(session, stored.id)
    assert [(version.at, version.rule.enabled) for version in versions] == [
        (3, False),
        (2, True),
        (1, True),
    ]
    assert versions[-1].rule == rule("one", "permit")


def test_an_example_breaks_by_its_rule_and_by_the_rules_above(database: Database) -> None:
    with database.writing() as session:
        permit, offer = mail(session, "permit", "offer")
        make_rule(session, rule("one", "permit"), at=1)
        (one,) = list_rules(session)
        pins = {one.id: [Pin(permit, wanted=True), Pin(offer, wanted=False)]}
        change_pins(session, one.id, pins[one.id])
        assert pins_of_rules(session) == pins

        def wrong(*line: StoredRule) -> list[str]:
            return [
                example.wrong for example in broken_examples(session, [one], line, pins, now=NOW)
            ]

        above = StoredRule(0, rule("all", "permit", to("B")))
        labels = StoredRule(0, rule("label", "permit", {"do": "label", "label": "L"}))
        assert wrong(one) == wrong(labels, one) == wrong(one, above) == []
        assert wrong(above, one) == ["is taken first by “all”"]
        assert wrong(StoredRule(one.id, rule("one", "offer"))) == ["is not taken", "is taken"]
        off = StoredRule(one.id, rule("one", "offer", enabled=False))
        assert wrong(off) == []  # what is off for a while is not asked about


def test_the_order_check_confirms_on_the_mailbox_and_each_remedy_mends_it(
    database: Database,
) -> None:
    with database.writing() as session:
        mail(session, "permit offer", "permit", "offer")
        for written in (
            rule("wide", "permit", to("A")),
            rule("other", "offer", to("B")),
            rule("same", "permit", to("A")),
        ):
            make_rule(session, written, at=1)
        wide, other, same = list_rules(session)
        findings = check_order(session, now=NOW)
        assert [
            (finding.kind, finding.rule_id, finding.by, finding.messages) for finding in findings
        ] == [
            ("conflict", other.id, (wide.id,), 1),
            ("duplicate", same.id, (wide.id,), 2),
        ]
        assert findings[0].saying == "“wide”, above, wants one of its messages, too, and wins"
        remedy(session, "merge", same.id, wide.id, at=2)
        spared = remedy(session, "add_exception", other.id, wide.id, at=3)
        assert check_order(session, now=NOW) == []
        undo_run(session, (spared and spared.run_id) or 0, at=4)
        remedy(session, "move_above", other.id, wide.id, at=5)
        assert [(finding.kind, finding.rule_id) for finding in check_order(session, now=NOW)] == [
            ("conflict", wide.id)
        ]
        remedy(session, "switch_off", other.id, None, at=6)
        assert check_order(session, now=NOW) == []


def test_a_rule_whose_folder_or_label_is_gone_gets_it_back(database: Database) -> None:
    with database.writing() as session:
        named = {
            "any": [
                {"field": "folder", "test": "is", "values": ["Old"]},
                {"field": "label", "test": "is", "values": ["L"]},
            ]
        }
        make_rule(session, rule("one", "permit", to("A"), unless=named), at=1)
        (finding,) = check_order(session, now=NOW)
        assert (finding.kind, finding.saying) == ("gone", "Its folder “Old” and label “L” are gone")
        remedy(session, "make_places", finding.rule_id, None, at=2)
        assert check_order(session, now=NOW) == []


def test_what_if_tells_what_the_line_makes_of_a_message_now(database: Database) -> None:
    with database.writing() as session:
        (message,) = mail(session, "permit")
        make_rule(session, rule("one", "permit", stop=True), at=1)
        make_rule(session, rule("two", "permit"), at=1)
        answer = what_if(session, message, now=NOW)
        assert answer is not None
        event, line, outcome = answer
        assert (event, len(line), outcome.rules, outcome.folder) == ("arrival", 2, ("one",), "A")
        assert len(outcome.trail) == 1  # the second was not tried
        assert what_if(session, 99, now=NOW) is None


def test_several_messages_propose_the_narrowest_conditions(database: Database) -> None:
    with database.writing() as session:
        ids = mail(session, "Order one paid", "Order two paid", "Order one", "other")
        proposals = propose(session, ids[:2], now=NOW)
    by_text = {(proposal.fact.about, proposal.fact.text): proposal for proposal in proposals}
    assert [proposal.others for proposal in proposals] == sorted(
        proposal.others for proposal in proposals
    )
    assert by_text["subject", "paid"].others == 0
    assert by_text["subject", "paid"].picked
    assert (by_text["subject", "Order"].others, by_text["subject", "Order"].picked) == (1, False)
    assert by_text["from", "a@x.example"].others == 2


def test_a_document_goes_out_and_in_again_and_says_before_what_it_changes(
    database: Database,
) -> None:
    with database.writing() as session:
        for document in (rule("one", "permit"), rule("two", "offer"), rule("two", "order")):
            make_rule(session, document, at=1)
        octets = document_of(session).model_dump_json(by_alias=True).encode()
        same = compare_rules(session, read_rule_document(octets).rules)
        assert (len(same.alike), same.added, same.changed) == (3, (), ())
        changed = octets.replace(b'"permit"', b'"licence"').replace(
            b'"name":"two"', b'"name":"three"', 1
        )
        differences = compare_rules(session, read_rule_document(changed).rules)
        assert [document.name for document in differences.added] == ["three"]
        assert [stored.rule.name for stored, _ in differences.changed] == ["one", "two"]
        done = take_incoming(session, read_rule_document(changed).rules, at=2)
        assert names(session) == ["one", "two", "two", "three"]
        undo_run(session, done.run_id or 0, at=3)
        assert document_of(session).model_dump_json(by_alias=True).encode() == octets
    with pytest.raises(RuleDocumentError) as refused:
        read_rule_document(octets.replace(b'"words"', b'"word"'))
    assert len(refused.value.problems) == 3
