"""The table of grades in docs/sieve.md, from what the code says of each field, part and test.

``python -m tests.sieve.grade_table`` writes it anew.
"""

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any, get_args

from mnemic.core.actions import ACTION_KINDS
from mnemic.core.fields import FIELDS
from mnemic.core.fields.addresses import AddressPart
from mnemic.core.message import KindName
from mnemic.core.rules.reading import read_rule, read_test
from mnemic.core.sieve import FOLDING
from mnemic.core.sieve.writing.conditions import said_of
from mnemic.core.sieve.writing.deeds import Deed, deeds_of
from mnemic.core.sieve.writing.grades import Grade
from tests.sieve.both_ways import SETTING

PAGE = Path(__file__).parents[2] / "docs" / "sieve.md"
TABLES = re.compile(r"(<!-- grades -->\n).*?(<!-- end of grades -->)", re.DOTALL)

#: A value for each field whose tests compare no texts.
_VALUES: dict[str, list[Any]] = {
    "addressed": ["to_me", "only_me"],
    "age": ["1 day"],
    "attachment_type": ["application/pdf"],
    "contact": ["known", "first"],
    "flagged": [True],
    "kind": list(get_args(KindName)),
    "priority": ["high"],
    "received": ["2026-05-04"],
    "seen": [True],
    "sent": ["2026-05-04"],
    "size": ["2 MB"],
}
_ACTION_KEYS: dict[str, dict[str, Any]] = {
    "colour": {"colour": "moss"},
    "copy": {"folder": "A"},
    "file": {"folder": "A"},
    "forward": {"to": ["a@b.example"]},
    "label": {"label": "A"},
    "priority": {"level": "high"},
    "reply": {"text": "Away"},
    "unlabel": {"label": "A"},
}


def _conditions() -> Iterator[tuple[str, str, dict[str, Any]]]:
    """For each field its parts, and each test with the values that a grade may depend on."""
    for name, field in FIELDS.items():
        parts = get_args(AddressPart) if any(aspect.part for aspect in field.aspects) else ("",)
        tests = get_args(field.condition.model_fields["test"].annotation)
        for part in parts:
            for test in tests:
                if test == "under" and part != "domain" and part:
                    continue
                condition: dict[str, Any] = {"field": name, "test": test}
                if part:
                    condition["part"] = part
                if name == "header":
                    condition["name"] = "X-Tag"
                if test == "exists":
                    yield part, test, condition
                    continue
                values = _VALUES.get(name, ["permit"])
                separate = name in ("addressed", "contact")
                for listed in [[value] for value in values] if separate else [values]:
                    said = f"{test} {listed[0]}" if separate else test
                    yield part, said, {**condition, "values": listed}


def _row(*cells: str) -> str:
    return f"| {' | '.join(cells)} |"


def tables() -> str:
    """Both tables: conditions, and actions."""
    grouped: dict[tuple[str, str, str, str], list[str]] = {}
    for part, test, condition in _conditions():
        said = said_of(read_test(condition), SETTING)
        why = "; ".join(reason for reason in said.why if reason != FOLDING)
        key = str(condition["field"]), part, said.grade.word, why
        grouped.setdefault(key, []).append(f"`{test}`")
    alike: dict[tuple[str, str, str, str], list[str]] = {}
    for (field, part, grade, why), several in grouped.items():
        alike.setdefault((part, grade, why, ", ".join(several)), []).append(f"`{field}`")
    lines = ["| field | part | tests | grade | where it differs |", "|---|---|---|---|---|"]
    for (part, grade, why, tests), fields in alike.items():
        shown = f"`{part}`" if part else ""
        lines.append(_row(", ".join(fields), shown, tests, grade, why))
    lines += ["", "| action | grade | where it differs |", "|---|---|---|"]
    lines += [_row(f"`{name}`", *_action(name)) for name in ACTION_KINDS]
    return "\n".join(lines) + "\n"


def _action(name: str) -> tuple[str, str]:
    then = {"do": name, **_ACTION_KEYS.get(name, {})}
    rule = read_rule({"name": "r", "when": {"always": True}, "then": [then]})
    (deed, *_) = deeds_of(rule.then[0], SETTING, {"a": "A"})
    if not isinstance(deed, Deed):
        return Grade.NO.word, "it is done here alone; the rest of its rule is written"
    return (Grade.CLOSE if deed.why else Grade.SAME).word, deed.why


if __name__ == "__main__":
    page = PAGE.read_text("utf-8")
    PAGE.write_text(TABLES.sub(lambda marked: marked[1] + tables() + marked[2], page), "utf-8")
