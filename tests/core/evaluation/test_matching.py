"""Conditions hold as the rule document says; the cases are data, each with its source.

The texts of the RFCs were not at hand: what a case takes from one is from memory.
"""

import json
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from mnemic.core import (
    Circumstances,
    CompiledRules,
    Envelope,
    Given,
    MessageState,
    parse_message,
    read_rule,
    take,
)
from mnemic.core.evaluation.matching import Evidence, TestTrail, try_test

FOLDER = Path(__file__).parents[1] / "cases"
CASES = [
    case
    for name in ("matching.json", "fields.json")
    for case in json.loads((FOLDER / name).read_text("utf-8"))
]


def given_of(said: dict[str, Any]) -> Given:
    state = MessageState(
        account=said.get("account"),
        folder=said.get("folder", "Inbox"),
        labels=tuple(said.get("labels", ())),
        seen=said.get("seen", False),
    )
    circumstances = Circumstances(
        now=datetime.fromisoformat(said["now"]) if "now" in said else datetime.now(UTC),
        timezone=ZoneInfo(said.get("timezone", "UTC")),
        me=frozenset(said.get("me", ())),
        contacts=frozenset(said.get("contacts", ())),
        earlier_senders=frozenset(said.get("earlier_senders", ())),
    )
    return Given(state, circumstances)


def first_evidence(trail: TestTrail) -> Evidence | None:
    return trail.evidence or next(filter(None, map(first_evidence, trail.inside)), None)


@pytest.mark.parametrize("case", CASES, ids=[case["name"] for case in CASES])
def test_holds_as_the_rule_document_says(case: dict[str, Any]) -> None:
    rule = read_rule({"name": "r", "when": case["when"], "then": [{"do": "keep"}]})
    octets = case["message"].encode("latin-1" if case.get("latin1") else "utf-8")
    given = given_of(case.get("given", {}))
    trail = try_test(rule.when, parse_message(octets), given)
    assert trail.held is case["holds"]
    if "evidence" in case:
        evidence = first_evidence(trail)
        assert evidence is not None
        start, end = evidence.span
        assert [evidence.field, evidence.value, evidence.value[start:end]] == case["evidence"]
    taken = CompiledRules([rule]).decide(parse_message(octets), given).taken_by
    assert (taken == (0,)) is case["holds"]
    assert read_rule(json.loads(rule.model_dump_json(by_alias=True))) == rule


def test_a_recipient_that_the_envelope_alone_names_is_one() -> None:
    """RFC 5321, section 3.3: the envelope says to whom it goes (from memory)."""
    message = parse_message(b"From: a@x.example\n\nhi", Envelope(None, ("hidden@x.example",)))

    def holds(field: str) -> bool:
        when = {"field": field, "test": "is", "values": ["Hidden@x.example"]}
        rule = read_rule({"name": "r", "when": when, "then": [{"do": "flag"}]})
        return take(rule, message).took

    assert [holds(field) for field in ("recipient", "to", "cc")] == [True, False, False]
