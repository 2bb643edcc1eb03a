"""What the core says, word by word: what is set off in a sentence, deeds, runs, errors, proposals."""

from datetime import date
from typing import Any

import pytest

from mnemic.core import Circumstances, Given, parse_message, read_rule
from mnemic.core.actions.effect import CopyTo, Label, MoveTo, SetColumn, needed_for
from mnemic.core.errors import RuleDocumentError
from mnemic.core.evaluation.matching import try_test
from mnemic.core.facts import facts_of
from mnemic.core.rules.differences import changes_between
from mnemic.core.rules.reading import read_rule_document, read_test
from mnemic.core.rules.sentence import condition_saying, sentence, sentence_of
from mnemic.core.run_sayings import RunKind, kind_of_undoing, run_saying
from mnemic.core.search import understand
from mnemic.core.wording import joined

PERMIT = {"field": "subject", "test": "words", "values": ["permit"]}


def rule(**keys: Any) -> Any:
    return read_rule({"name": "r", "when": PERMIT, "then": [{"do": "keep"}], **keys})


@pytest.mark.parametrize(
    ("keys", "strong"),
    [
        ({}, ["permit"]),
        ({"when": {"field": "header", "name": "X-Org", "test": "contains", "values": ["a", "b"]}}, ["X-Org", "a", "b"]),
        ({"then": [{"do": "file", "folder": "Moorings/Permits"}]}, ["permit", "Moorings / Permits"]),
        ({"then": [{"do": "copy", "folder": "A/B"}]}, ["permit", "A / B"]),
        ({"then": [{"do": "label", "label": "One"}, {"do": "unlabel", "label": "Two"}]}, ["permit", "One", "Two"]),
        ({"accounts": ["a@x.example", "b@x.example"]}, ["a@x.example", "b@x.example", "permit"]),
    ],
)  # fmt: skip
def test_what_the_owner_filled_in_is_set_off(keys: dict[str, Any], strong: list[str]) -> None:
    one = rule(**keys)
    phrases = sentence(one.when, one.unless, one.then, stop=one.stop, runs=one.runs, accounts=one.accounts)  # fmt: skip
    assert [phrase.text for phrase in phrases if phrase.strong] == strong


@pytest.mark.parametrize(
    ("keys", "begins"),
    [
        ({"accounts": ["a@x.example", "b@x.example"]}, "On mail that arrives in the account of a@x.example or b@x.example, when"),
        ({"when": {"all": [PERMIT, {"any": [PERMIT] * 3}]}}, "When the subject has the word permit, and (any of: the subject"),
        ({"when": {"any": [PERMIT, {"all": [PERMIT] * 3}]}}, "When the subject has the word permit, or (all of: the subject"),
        ({"when": {"field": "addressed", "test": "is", "values": ["to_me", "cc_me"]}}, "When I am in To or I am in Cc"),
        ({"when": {"field": "kind", "test": "is", "values": ["newsletter", "bounce"]}}, "When it is a newsletter or a bounce"),
        ({"when": {"not": {"field": "priority", "test": "is", "values": ["high", "low"]}}}, "When its importance is neither"),
    ],
)  # fmt: skip
def test_lists_are_joined_as_people_join_them(keys: dict[str, Any], begins: str) -> None:
    assert sentence_of(rule(**keys)).startswith(begins)


def test_sayings_are_joined_by_commas_and_a_last_word() -> None:
    assert [joined(list("abc")[:size]) for size in (1, 2, 3)] == ["a", "a and b", "a, b and c"]
    assert condition_saying(read_test(PERMIT)) == "the subject has the word permit"  # type: ignore[arg-type]


DEEDS = {
    "archive": "archived",
    "trash": "moved to the trash",
    "reply": "answered",
}


@pytest.mark.parametrize("do", DEEDS)
def test_a_deed_is_told_as_done(do: str) -> None:
    more = {"text": "Away", "every": 7} if do == "reply" else {}
    assert rule(then=[{"do": do, **more}]).then[0].deed() == DEEDS[do]


@pytest.mark.parametrize(
    ("kind", "whole", "part"),
    [
        ("done", "undone", "undone_in_part"),
        ("undone", "again", "again_in_part"),
        ("again", "undone", "undone_in_part"),
        ("undone_in_part", "again_in_part", "again_in_part"),
        ("again_in_part", "undone_in_part", "undone_in_part"),
    ],
)
def test_a_chain_of_undoing_keeps_its_kind(kind: RunKind, whole: RunKind, part: RunKind) -> None:
    assert kind_of_undoing(kind, part=False) == whole
    assert kind_of_undoing(kind, part=True) == part
    assert run_saying(kind, "").strip() == ""
    assert run_saying(kind, "3 archived").endswith("3 archived")


def test_switching_a_rule_is_a_difference() -> None:
    assert list(changes_between(rule(enabled=False), rule())) == ["Switched on"]
    assert list(changes_between(rule(), rule(enabled=False))) == ["Switched off"]


@pytest.mark.parametrize(
    ("effect", "needed"),
    [
        (MoveTo("archive"), None),
        (MoveTo(None, "A/B"), ("folder", "A/B")),
        (CopyTo("A/B"), ("folder", "A/B")),
        (Label("L", put=True), ("label", "L")),
        (Label("L", put=False), None),
        (SetColumn("flagged", True), None),
        (None, None),
    ],
)
def test_what_an_effect_needs_is_named(effect: Any, needed: tuple[str, str] | None) -> None:
    assert needed_for(effect) == needed


NO_TEST = "is no test; it needs one of the keys all, any, not, always, field"
FOLDER = "a folder path has a name at every level, as in Moorings/Permits"


@pytest.mark.parametrize(
    ("keys", "said"),
    [
        ({"when": {"test": "is"}}, f"when: {NO_TEST}"),
        ({"when": {"all": [PERMIT, {}]}}, f"when.all[1]: {NO_TEST}"),
        ({"then": [{"do": "file", "folder": "A//B"}]}, f"then[0].folder: {FOLDER}"),
        ({"then": [{"do": "file", "folder": "x" * 201}]}, "then[0].folder: a folder’s name has at most 200 characters; shorten it"),
        ({"name": "x" * 201}, "name: holds more than the 200 characters that it may have; leave some out"),
        ({"when": {**PERMIT, "values": ["x"] * 10_001}}, "when.values: holds more than the 10,000 that there may be; leave some out"),
        *(({"then": [{"do": "forward", "to": [to]}]}, "then[0].to[0]: has to be an address like name@domain")
          for to in ("a@", "@x.example", "a", "a@x y.example")),
    ],
)  # fmt: skip
def test_an_error_says_what_where_and_what_to_do(keys: dict[str, Any], said: str) -> None:
    with pytest.raises(RuleDocumentError) as caught:
        rule(**keys)
    assert str(caught.value) == said


def test_errors_are_told_a_line_each_and_octets_that_are_no_text_by_their_place() -> None:
    with pytest.raises(RuleDocumentError) as caught:
        rule(name="", when={})
    assert str(caught.value).splitlines() == [str(problem) for problem in caught.value.problems]
    with pytest.raises(RuleDocumentError) as caught:
        read_rule_document(b'{"a": "\xff"}')
    assert str(caught.value) == "not UTF-8 at octet 7; save it as UTF-8"


def test_facts_tell_who_it_is_from_and_how_urgent_it_was_meant() -> None:
    octets = b"From: Ann <ann@x.example>\nImportance: high\n\nx"
    known = Circumstances(contacts=frozenset({"ann@x.example"}))
    facts = {(fact.about, fact.text) for fact in facts_of(parse_message(octets), known)}
    assert {("sender", "known contact"), ("importance", "high")} <= facts
    plain = {
        fact.about for fact in facts_of(parse_message(b"From: Ann <ann@x.example>\n\nx"), known)
    }
    assert "importance" not in plain


def test_evidence_names_the_type_of_an_attachment() -> None:
    message = parse_message(
        b"Content-Type: multipart/mixed; boundary=b\n\n--b\n\ntext\n"
        b"--b\nContent-Type: application/pdf; name=a.pdf\nContent-Disposition: attachment\n\nx\n--b--\n"
    )
    test = read_test({"field": "attachment_type", "test": "contains", "values": ["pdf"]})
    evidence = try_test(test, message, Given()).evidence
    assert evidence is not None
    assert (evidence.field, evidence.value) == ("attachment_type", "application/pdf")


@pytest.mark.parametrize(
    ("typed", "problems"),
    [
        ("state:odd", ["state: is one of unread, read, flagged"]),
        ("kind:odd on:odd", 2),
    ],
)
def test_find_says_what_may_stand_behind_a_prefix(typed: str, problems: Any) -> None:
    sayings = [str(problem) for problem in understand(typed, date(2026, 5, 4)).problems]
    assert (len(sayings) if isinstance(problems, int) else sayings) == problems
