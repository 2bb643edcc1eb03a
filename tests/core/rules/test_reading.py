"""A rule document is taken whole or not at all; everything that is wrong is said, with its path."""

import json
import re
import time
from pathlib import Path
from typing import Any

import pytest

from mnemic.core import RuleDocumentError, read_rule, read_rule_document
from mnemic.core.rules.reading import read_stored_rule
from mnemic.core.rules.sentence import sentence_of

CASES = json.loads((Path(__file__).parents[1] / "cases" / "documents.json").read_text("utf-8"))
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


def _nested(levels: int) -> dict[str, Any]:
    test: dict[str, Any] = {"always": True}
    for level in range(levels):
        test = {"not": test} if level % 3 == 2 else {"all" if level % 3 else "any": [test]}
    return test


def _words(count: int, length: int = 3) -> dict[str, Any]:
    values = [str(number).rjust(length, "x") for number in range(count)]
    return {"field": "subject", "test": "words", "values": values}


#: Each limit ("Limits" in the rule document): what lies within, what lies beyond, and where.
LIMITS: list[tuple[str, dict[str, Any], dict[str, Any], str, str]] = [
    ("levels", {"when": _nested(20)}, {"when": _nested(21)}, r"rules\[0\]\.when\.\S+", "deeper than the 20 levels"),
    ("values", {"when": _words(10_000)}, {"when": _words(10_001)}, r"rules\[0\]\.when\.values", "more than the 10,000"),
    ("value", {"when": _words(1, 2_000)}, {"when": _words(1, 2_001)}, r"rules\[0\]\.when\.values\[0\]", "more than the 2,000 characters"),
    ("name", {"name": "n" * 200}, {"name": "n" * 201}, r"rules\[0\]\.name", "more than the 200 characters"),
    ("conditions", {"when": {"any": [_words(1)] * 500}}, {"when": {"any": [_words(1)] * 501}}, r"rules\[0\]\.when", "more than the 500"),
    (
        "conditions of both", {"when": {"any": [_words(1)] * 499}, "unless": _words(1)},
        {"when": {"any": [_words(1)] * 499}, "unless": {"any": [_words(1)] * 2}}, r"rules\[0\]", "more than the 500",
    ),
    (
        "numbers", {"when": {"field": "size", "test": "over", "values": [2**53 - 1]}},
        {"when": {"field": "size", "test": "over", "values": [2**53]}}, r"rules\[0\]\.when\.values\[0\]", "below 2^53",
    ),
    ("characters", {"when": {"field": "body", "test": "is", "values": ["a\tb\nc"]}}, {"when": {"field": "body", "test": "is", "values": ["a\0b"]}}, r"rules\[0\]\.when\.values\[0\]", "U+0000"),
    ("whole characters", {"name": "\U0001f6f6"}, {"name": "\ud83d"}, r"rules\[0\]\.name", "lone surrogate"),
    ("a name on one line", {"name": "a b"}, {"name": "a\nb"}, r"rules\[0\]\.name", "U+000A"),
    ("a label", {"then": [{"do": "label", "label": "l" * 200}]}, {"then": [{"do": "label", "label": "a\r\nb"}]}, r"rules\[0\]\.then\[0\]\.label", "U+000D"),
    ("a folder", {"then": [{"do": "file", "folder": "f" * 200}]}, {"then": [{"do": "file", "folder": "a/" + "f" * 201}]}, r"rules\[0\]\.then\[0\]\.folder", "at most 200"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("within", "beyond", "path", "said"),
    [limit[1:] for limit in LIMITS],
    ids=[e[0] for e in LIMITS],
)
def test_what_lies_beyond_a_limit_is_an_error_with_its_path(
    within: dict[str, Any], beyond: dict[str, Any], path: str, said: str
) -> None:
    def document(rule: dict[str, Any]) -> str:
        return json.dumps({"format": "mnemic-rules", "version": 1, "rules": [{**SOUND, **rule}]})

    read_rule_document(document(within))
    with pytest.raises(RuleDocumentError) as raised:
        read_rule_document(document(beyond))
    (problem,) = raised.value.problems
    assert re.fullmatch(path, problem.path)
    assert said in problem.message
    # What was taken before there was a limit is still read: a mailbox stays as it is.
    if "\ud83d" not in beyond.get("name", ""):  # that never was a text
        read_stored_rule(json.dumps({**SOUND, **beyond}))


def test_a_document_has_its_limits_too() -> None:
    def document(rules: str) -> str:
        return f'{{"format":"mnemic-rules","version":1,"rules":[{rules}]}}'

    sound = json.dumps(SOUND)
    for beyond, said in (
        (document(",".join([sound] * 20_001)), "more than the 20,000"),
        (document(f"{sound}{' ' * 10 * 1024 * 1024}"), "larger than the 10 MB"),
        ('{"version":' + "9" * 5_000 + "}", "a number that is too long"),
    ):
        with pytest.raises(RuleDocumentError, match=said) as refused:
            read_rule_document(beyond)
        assert [problem.path for problem in refused.value.problems] in ([""], ["rules"])


def test_groups_in_groups_are_read_back_in_step_with_their_depth() -> None:
    def cost(levels: int) -> float:
        test: Any = {"field": "subject", "test": "is", "values": ["x"]}
        for _ in range(levels):
            test = {"all": [test]}
        rule = read_rule({**SOUND, "when": test})
        begun = time.process_time()
        for _ in range(50):
            assert sentence_of(rule).startswith("When the subject is x:")
        return time.process_time() - begun

    assert cost(19) < cost(9) * 30  # made twice at each level it is a thousand times as much
