"""A rule document is taken whole or not at all; everything that is wrong is said, with its path."""

import json
from pathlib import Path
from typing import Any

import pytest

from mnemic.core import RuleDocumentError, read_rule_document

CASES = json.loads((Path(__file__).parent / "cases" / "documents.json").read_text("utf-8"))
SOUND = {"name": "r", "when": {"always": True}, "then": [{"do": "keep"}]}


@pytest.mark.parametrize("case", CASES, ids=[case["name"] for case in CASES])
def test_says_what_is_wrong_and_where(case: dict[str, Any]) -> None:
    document = case.get("document")
    if document is None:
        rules = [{**SOUND, **case["rule"]}]
        document = {"format": "mnemic-rules", "version": 1, "rules": rules}
    text = document if isinstance(document, str) else json.dumps(document)
    with pytest.raises(RuleDocumentError) as raised:
        read_rule_document(text)
    problems = raised.value.problems
    assert [problem.path for problem in problems] == [path for path, _ in case["errors"]]
    for problem, (_, said) in zip(problems, case["errors"], strict=True):
        assert said in problem.message


def test_the_example_of_the_rule_document_is_read_and_written_alike() -> None:
    document = {
        "format": "mnemic-rules",
        "version": 1,
        "rules": [
            {
                "name": "Mooring permits",
                "enabled": True,
                "runs": ["arrival"],
                "accounts": [],
                "when": {
                    "all": [
                        {
                            "field": "recipient",
                            "test": "is",
                            "values": ["moorings@trust.example"],
                            "case": False,
                            "part": "address",
                        },
                        {"not": {"always": True}},
                    ]
                },
                "unless": None,
                "then": [{"do": "file", "folder": "Moorings/Permits"}],
                "stop": False,
            }
        ],
    }
    read = read_rule_document(json.dumps(document))
    assert json.loads(read.model_dump_json(by_alias=True)) == document


def test_nesting_without_end_is_refused() -> None:
    deep = '{"not":' * 3000 + '{"always":true}' + "}" * 3000
    rule = f'{{"name":"r","when":{deep},"then":[{{"do":"keep"}}]}}'
    with pytest.raises(RuleDocumentError):
        read_rule_document(f'{{"format":"mnemic-rules","version":1,"rules":[{rule}]}}')
