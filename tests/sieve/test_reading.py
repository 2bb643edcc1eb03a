"""Scripts as rules: what each construct comes to, and what is refused, with its place."""

import json
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from mnemic.core import RuleDocument, read_rule
from mnemic.core.sieve import Grade, SieveError, read_script
from mnemic.core.sieve.reading.deeds import TRIMMED
from mnemic.core.sieve.reading.rules import COPY_BY_NAME

CASES = Path(__file__).parent / "cases"
REQUIRE = (
    'require ["fileinto","copy","imap4flags","envelope","body","subaddress","relational","date",'
    '"special-use","mailbox","vacation","variables","comparator-i;unicode-casemap",'
    '"comparator-i;ascii-numeric","mime","index","duplicate","regex"]; '
)


def cases(name: str) -> list[Any]:
    listed: list[Any] = json.loads((CASES / f"{name}.json").read_text("utf-8"))
    return listed


def problems(script: str | bytes) -> list[tuple[int, int, str]]:
    with pytest.raises(SieveError) as refused:
        read_script(script.encode() if isinstance(script, str) else script)
    return [(problem.line, problem.column, problem.reason) for problem in refused.value.problems]


@pytest.mark.parametrize("case", cases("reading"), ids=lambda case: case["name"])
def test_what_a_script_comes_to(case: dict[str, Any]) -> None:
    read = read_script((REQUIRE + case["script"]).encode())
    assert read.rules == tuple(map(read_rule, case["rules"]))
    document = RuleDocument(format="mnemic-rules", version=1, rules=read.rules)
    assert RuleDocument.model_validate_json(document.model_dump_json(by_alias=True)) == document


@pytest.mark.parametrize("case", cases("refused"), ids=lambda case: case["script"][:60])
def test_what_is_refused_is_told_with_its_place(case: dict[str, Any]) -> None:
    before = len(REQUIRE) if case["script"].startswith("@R ") else 0
    script = case["script"].replace("@R ", REQUIRE)
    expected = [
        (line, column + before * (line == 1), text) for line, column, text in case["errors"]
    ]
    assert problems(script) == expected


def test_all_that_is_wrong_is_told_at_once_and_nothing_is_taken() -> None:
    script = (
        'if foo { keep; }\nbar;\nif header :is "a" { reject "x"; }\n'
        'if allof (size :over 1, envelope "from" "a", body :raw "b") { discard; }\n'
    )
    assert list(dict.fromkeys((line, column) for line, column, _ in problems(script))) == [
        (1, 4),
        (2, 1),
        (3, 4),
        (3, 21),
        (4, 25),
        (4, 46),
    ]
    broken = 'foo;\nif { [ } keep;\nif bar { "x"; }\n"y'
    assert {line for line, _, _ in problems(broken)} == {1, 2, 3, 4}


@pytest.mark.parametrize(
    ("script", "notes"),
    [
        ('fileinto :specialuse "\\\\Trash" "Bin";', []),  # it is the trash, whatever it is called
        ('fileinto "A"; fileinto :specialuse "\\\\Trash" "Bin";', [COPY_BY_NAME]),
        ('fileinto :copy :specialuse "\\\\Archive" "Bin";', [COPY_BY_NAME]),
        ('fileinto "A"; fileinto "Bin";', []),
        ('fileinto "A/ B";', [TRIMMED]),
        ('fileinto "A/B C";', []),
    ],
)
def test_where_a_folder_may_be_another_than_the_servers_that_is_told(
    script: str, notes: list[str]
) -> None:
    read = read_script(f'require ["fileinto", "copy", "special-use"]; {script}'.encode())
    assert [list(grade.why) for grade in read.grades] == [notes]


def test_the_days_are_the_owners() -> None:
    script = (
        'require ["date", "relational"];\nif allof (currentdate :zone "+0100" :value "ge" "date"'
        ' "2026-03-29", currentdate :zone "+0200" :value "lt" "date" "2026-03-30") { keep; }'
    )
    rules = read_script(script.encode(), ZoneInfo("Europe/Berlin")).rules
    days = [condition.values for condition in rules[0].when.all]  # type: ignore[union-attr]
    assert days == [("2026-03-28",), ("2026-03-30",)]
    assert [problem[:2] for problem in problems(script)] == [(2, 11), (2, 70)]


def test_what_differs_is_told_by_rule() -> None:
    script = 'if size :over 1M { keep; }\nif header :is "subject" "a" { keep; stop; }\nredirect "a@b.example";'
    grades = read_script(script.encode()).grades
    assert [grade.grade for grade in grades[:2]] == [Grade.SAME, Grade.CLOSE]
    assert "a to z for A to Z" in str(grades[1])


#: Each would take long, or all of memory, for a reader that is not careful.
LARGE = {
    "a megabyte": b"#" * 1_000_000,
    "blocks in blocks": b"if true {" * 1_000 + b"keep;" + b"}" * 1_000,
    "tests in tests": b"if " + b"anyof(" * 1_000 + b"true" + b")" * 1_000 + b" {keep;}",
    "conditions": b"if anyof(" + b",".join([b'header :is "a" "b"'] * 10_000) + b") {keep;}",
    "places without stop": b'if header :is "a" "b" {keep;}' * 10_000,
    "places and discards": b'if true {discard;} if header :is "a" "b" {stop;}' * 4_000,
    "strings": b'"\\' * 400_000,
    "texts": b"text:\r\n.." * 90_000,
    "comments": b"/*" * 400_000,
    "digits": b"size 9" + b"9" * 900_000,
    "brackets": b"[" * 300_000,
    "no script at all": bytes(range(1, 128)) * 4_000,
}


@pytest.mark.parametrize("octets", LARGE.values(), ids=LARGE)
def test_what_is_too_large_has_one_clear_answer(octets: bytes) -> None:
    with pytest.raises(SieveError) as error:
        read_script(octets)
    saying = str(error.value)
    assert saying.startswith("line 1, column ")
    assert len(saying.splitlines()) <= 101


def test_fifteen_levels_are_taken_and_a_chain_of_thousands() -> None:
    deep = 'if header :is "a" "b" {' * 15 + "keep;" + "}" * 15
    assert len(read_script(deep.encode()).rules) == 1
    chain = "if false { keep; } " + 'elsif header :is "a" "b" { keep; }\n' * 5_000
    assert len(read_script(chain.encode()).rules) == 5_001


@pytest.mark.parametrize(
    ("octets", "problem"),
    [
        (b"keep;\n\xff", (2, 1, "not UTF-8 from here on; save the script as UTF-8")),
        (
            b"keep;\0",
            (1, 6, "holds NUL, which no script may (RFC 5228, section 2.1); leave it out"),
        ),
        (b"\xef\xbb\xbfkeep;", (1, 1, "'\\ufeff' can’t stand here; take it away")),
    ],
    ids=["octets", "NUL", "byte order mark"],
)
def test_what_is_no_text_is_told(octets: bytes, problem: tuple[int, int, str]) -> None:
    assert problems(octets) == [problem]


def test_a_script_below_the_limit_is_taken_and_one_at_it_is_not() -> None:
    below = b"keep;" + b" " * 999_994
    assert len(read_script(below).rules) == 1
    assert "has to be below 1,000,000" in problems(below + b" ")[0][2]
