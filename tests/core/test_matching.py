"""Conditions hold as the rule document says; the cases are data, each with its source."""

import json
from pathlib import Path
from typing import Any

import pytest

from mnemic.core import parse_message, read_rule
from mnemic.core.matching import Evidence, TestTrail, try_test

CASES = json.loads((Path(__file__).parent / "cases" / "matching.json").read_text("utf-8"))


def first_evidence(trail: TestTrail) -> Evidence | None:
    return trail.evidence or next(filter(None, map(first_evidence, trail.inside)), None)


@pytest.mark.parametrize("case", CASES, ids=[case["name"] for case in CASES])
def test_holds_as_the_rule_document_says(case: dict[str, Any]) -> None:
    rule = read_rule({"name": "r", "when": case["when"], "then": [{"do": "keep"}]})
    trail = try_test(rule.when, parse_message(case["message"].encode()))
    assert trail.held is case["holds"]
    if "evidence" in case:
        found = first_evidence(trail)
        assert found is not None
        start, end = found.span
        assert [found.field, found.value, found.value[start:end]] == case["evidence"]
