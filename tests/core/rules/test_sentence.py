"""Rules read back: a table of rules and sentences, and what changed between two of them."""

import json
from pathlib import Path
from typing import Any

import pytest

from mnemic.core import read_rule
from mnemic.core.rules.differences import changes_between
from mnemic.core.rules.sentence import sentence_of

CASES = json.loads((Path(__file__).parents[1] / "cases" / "sentences.json").read_text("utf-8"))
PERMIT: dict[str, Any] = {"field": "subject", "test": "words", "values": ["permit"]}
RULE: dict[str, Any] = {"name": "r", "when": PERMIT, "then": [{"do": "archive"}, {"do": "read"}]}


@pytest.mark.parametrize("case", CASES, ids=lambda case: case["sentence"][:40])
def test_a_rule_is_read_back_as_one_sentence(case: dict[str, Any]) -> None:
    assert sentence_of(read_rule({"name": "r", **case["rule"]})) == case["sentence"]


CHANGES: list[tuple[dict[str, Any], list[str]]] = [
    ({}, []),
    ({"name": "s"}, ["Name: “s” instead of “r”"]),
    ({"enabled": False, "stop": True}, ["Switched off", "Afterwards no later rule is tried"]),
    (
        {"when": {"not": PERMIT}},
        [
            "When: the subject does not have the word permit; before: the subject has the word permit"
        ],
    ),
    ({"unless": PERMIT}, ["Unless: the subject has the word permit; before: nothing"]),
    (
        {"then": [{"do": "trash"}, {"do": "read"}]},
        ["Then, new: put it in the trash", "Then, no longer: archive it"],
    ),
    (
        {"runs": ["sent"], "accounts": ["a@x.example"]},
        ["Runs on mail I send; before: as mail arrives", "For a@x.example; before: all accounts"],
    ),
]


@pytest.mark.parametrize(("change", "said"), CHANGES)
def test_what_changed_is_said(change: dict[str, Any], said: list[str]) -> None:
    assert list(changes_between(read_rule(RULE), read_rule({**RULE, **change}))) == said
