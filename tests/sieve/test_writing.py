"""Rules as a script: the form that is taken, what it requires, what is told, and what is kept."""

from dataclasses import replace
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from mnemic.core import Rule, read_rule
from mnemic.core.fields import CONDITION_KINDS
from mnemic.core.sieve import Grade, Setting, read_script, written_script
from mnemic.core.sieve.writing.conditions import WRITERS
from tests.sieve import grade_table
from tests.sieve.both_ways import SETTING, by_core, by_script, delivered

SUBJECT = {"field": "subject", "test": "contains", "values": ["a"]}
OTHER = {"field": "subject", "test": "contains", "values": ["b"]}
FILE_A = {"do": "file", "folder": "A"}
FILE_B = {"do": "file", "folder": "B"}
LABEL = {"do": "label", "label": "Red"}


def rule(*then: dict[str, Any], when: Any = SUBJECT, **more: Any) -> Rule:
    return read_rule({"name": "r", "when": when, "then": list(then), **more})


def body(rules: list[Rule], setting: Setting = SETTING) -> str:
    """The script without its comments."""
    lines = written_script(rules, setting).text.split("\r\n")
    return "\n".join(line for line in lines if line and not line.lstrip().startswith("#"))


A, B = 'header :contains "subject" "a"', 'header :contains "subject" "b"'

#: Lines of two rules, and the script that each comes to, in the plainest form that says it.
FORMS = {
    "no slot twice": (
        [rule(LABEL), rule(FILE_A, when=OTHER)],
        'require ["fileinto", "imap4flags", "mailbox"];\n'
        f'if {A} {{ addflag "Red"; }}\nif {B} {{ fileinto :create "A"; }}',
    ),
    "the first stops": (
        [rule(FILE_A, stop=True), rule(FILE_B, when=OTHER)],
        'require ["fileinto", "mailbox"];\n'
        f'if {A} {{\n  fileinto :create "A";\n  stop;\n}}\nif {B} {{ fileinto :create "B"; }}',
    ),
    "flags after a place": (
        [rule(FILE_A), rule(LABEL, when=OTHER)],
        'require ["fileinto", "imap4flags", "mailbox"];\n'
        f'if {B} {{ addflag "Red"; }}\nif {A} {{ fileinto :create "A"; }}',
    ),
    "flags after a place, and a stop between": (
        [rule(FILE_A), rule({"do": "read"}, when=OTHER, stop=True), rule(LABEL)],
        'require ["fileinto", "imap4flags", "mailbox"];\n'
        f'if {B} {{ addflag "\\\\Seen"; }}\n'
        f'if allof (not {B}, {A}) {{ addflag "Red"; }}\n'
        f'if {A} {{ fileinto :create "A"; }}\nif {B} {{ stop; }}',
    ),
    "two places": (
        [rule(FILE_A), rule(FILE_B, {"do": "copy", "folder": "C"}, when=OTHER)],
        'require ["copy", "fileinto", "mailbox", "variables"];\n'
        f'if {A} {{\n  if string :is "${{place}}" "" {{ set "place" "1"; }}\n}}\n'
        f'if {B} {{\n  if string :is "${{place}}" "" {{ set "place" "2"; }}\n'
        '  set "copy_1" "1";\n}\n'
        'if string :is "${copy_1}" "1" { fileinto :copy :create "C"; }\n'
        'if string :is "${place}" "1" { fileinto :create "A"; }\n'
        'elsif string :is "${place}" "2" { fileinto :create "B"; }\nelse { keep; }',
    ),
    "unread before read": (
        [rule({"do": "unread"}), rule({"do": "read"}, when=OTHER)],
        'require ["imap4flags", "variables"];\n'
        f'if {A} {{ set "seen" "1"; }}\n'
        f'if {B} {{\n  if string :is "${{seen}}" "" {{\n    set "seen" "1";\n'
        '    addflag "\\\\Seen";\n  }\n}\nkeep;',
    ),
}


@pytest.mark.parametrize(("rules", "script"), FORMS.values(), ids=FORMS)
def test_the_plainest_form_is_taken(rules: list[Rule], script: str) -> None:
    assert body(rules) == script


def test_a_server_without_variables_gets_a_chain() -> None:
    setting = replace(SETTING, capabilities=frozenset({"fileinto"}))
    assert body([rule(FILE_A), rule(FILE_B, when=OTHER)], setting) == (
        f'require "fileinto";\nif {A} {{ fileinto "A"; }}\n'
        f'elsif {B} {{ fileinto "B"; }}\nelse {{ keep; }}'
    )


@pytest.mark.parametrize(
    ("then", "commands"),
    [
        ({"do": "file", "folder": "Inbox"}, "keep;"),
        ({"do": "keep"}, "keep;"),
        ({"do": "archive"}, 'fileinto :specialuse "\\\\Archive" "Archive";'),
        ({"do": "trash"}, 'fileinto :specialuse "\\\\Trash" "Trash";'),
        ({"do": "erase"}, 'fileinto :create "Mnemic/Held back";'),
        ({"do": "flag"}, 'addflag "\\\\Flagged";'),
        ({"do": "label", "label": "Lock works"}, 'addflag "Lock_works";'),
        ({"do": "copy", "folder": "A/B"}, 'fileinto :copy :create "A/B";'),
    ],
    ids=str,
)
def test_an_action_as_commands(then: dict[str, Any], commands: str) -> None:
    assert body([rule(then)]).splitlines()[-1] == f"if {A} {{ {commands} }}"


def grades(*rules: Rule, setting: Setting = SETTING) -> list[tuple[Grade, str]]:
    given = written_script(rules, setting).grades
    return [(grade.grade, "; ".join(grade.why[-1:])) for grade in given]


UNDER = {"field": "from", "part": "domain", "test": "under", "values": ["x.example"]}
FIRST = {"field": "contact", "test": "is", "values": ["first"]}


def test_each_rule_has_the_grade_of_the_worst_of_its_parts() -> None:
    always = {"always": True}
    assert grades(
        rule(FILE_A, when=UNDER),
        rule(FILE_A, when={"all": [UNDER, SUBJECT]}),
        rule(FILE_A, when={"any": [UNDER, FIRST]}),
        rule(FILE_A, {"do": "colour", "colour": "moss"}, when=always),
        rule({"do": "notify"}, when=always),
        rule(FILE_A, runs=["daily"]),
        rule(FILE_A, enabled=False),
    ) == [
        (Grade.SAME, ""),
        (Grade.CLOSE, written_script([rule(FILE_A)], SETTING).grades[0].why[0]),
        (Grade.NO, "who has written before is known here alone"),
        (Grade.CLOSE, "“r” stays here, and would overrule it"),
        (Grade.NO, "“tell me” is done here alone"),
        (Grade.NO, "a script runs on arrival alone"),
        (Grade.SAME, "it is off"),
    ]


def test_what_stays_here_may_overrule_or_stop_what_comes_later() -> None:
    here = rule(FILE_A, when=FIRST)
    stops = rule(LABEL, when=FIRST, stop=True)
    later, free = rule(FILE_B, when=UNDER), rule(LABEL, when=UNDER)
    assert [grade for grade, _ in grades(later, here, later, free)] == [0, 2, 1, 0]
    assert [grade for grade, _ in grades(stops, later, free)] == [2, 1, 1]


@pytest.mark.parametrize("several", [1, 3, 4, 300])
def test_of_many_that_stay_here_the_first_are_named(several: int) -> None:
    named = [
        rule(FILE_A, when=FIRST, name=f"r{number}", stop=number == 1) for number in range(several)
    ]
    script = written_script([*named, rule(FILE_B, when=UNDER)], SETTING)
    said = [
        f"“r{number}” stays here, and would {'stop' if number == 1 else 'overrule'} it"
        for number in range(min(several, 3))
    ]
    assert script.grades[-1].why == (*said, *["so would others that stay here"] * (several > 3))


def test_no_two_labels_share_a_keyword_and_comments_say_which_is_which() -> None:
    labels = [{"do": "label", "label": name} for name in ("Lock works", "Lock_works", "lock WORKS")]
    setting = replace(SETTING, keywords={"other": "lock_works"})
    script = written_script([rule(label) for label in labels], setting).text
    assert 'addflag "Lock_works-2"' in script
    assert 'addflag "Lock_works-3"' in script
    assert "The label “Lock works” is the keyword Lock_works-2." in script
    read = read_script(f"{script}# changed".encode()).rules
    assert [rule.then[0].deed() for rule in read] == [
        "labelled Lock works",
        "labelled Lock_works",
        "labelled Lock works",
    ]


def test_nothing_leaves_its_comment_and_no_text_is_taken_for_a_variable() -> None:
    named = rule(FILE_A).model_copy(update={"name": "x\r\nkeep;\ndiscard; */"})
    assert body([named]) == body([rule(FILE_A)])
    dollars = {"field": "subject", "test": "contains", "values": ["${place} $$ ${stop}"]}
    rules = [rule(FILE_A, when=dollars), rule(FILE_B, when={"always": True})]
    script = written_script(rules, SETTING).text
    for subject in ("${place} $$ ${stop}", "1", "$"):
        mail = delivered(f"Subject: {subject}\n\nx\n".encode())
        assert by_script(script, mail) == by_core(rules, mail)
    read = read_script(f"{script}# changed".encode()).rules
    assert read[0].when == rule(FILE_A, when=dollars).when


@pytest.mark.parametrize("zone", ["UTC", "Europe/Lisbon", "Asia/Kolkata", "America/Santiago"])
@pytest.mark.parametrize("test", ["before", "after", "on"])
def test_days_begin_and_end_in_the_owners_zone(zone: str, test: str) -> None:
    setting = replace(SETTING, timezone=ZoneInfo(zone))
    for day in ("2026-05-01", "2026-05-02", "2026-03-29", "2026-10-25"):
        for field in ("received", "sent"):
            when = {"field": field, "test": test, "values": [day]}
            rules = [rule(FILE_A, when=when)]
            script = written_script(rules, setting)
            assert script.grades[0].grade == Grade.SAME
            for date in ("01 May 2026 22:30:00 +0000", "29 Mar 2026 00:30:00 +0100", "nonsense"):
                mail = delivered(f"Date: {date}\n\nx\n".encode())
                zoned = by_core(rules, mail, setting.timezone)
                assert by_script(script.text, mail) == zoned
            read = read_script(f"{script.text}# changed".encode(), setting.timezone)
            assert by_core(read.rules, mail, setting.timezone) == zoned


def test_every_field_is_written_or_known_to_stay() -> None:
    assert set(WRITERS) == set(CONDITION_KINDS.values())


def test_the_table_of_grades_in_the_docs_is_what_the_code_says() -> None:
    assert grade_table.tables() in grade_table.PAGE.read_text("utf-8")
