"""Find: what is typed, as a test of the rule document (cases/search.json), and what is offered."""

import json
from datetime import date
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mnemic.core.rules.reading import read_test
from mnemic.core.search import PREFIXES, search_terms, understand
from mnemic.core.suggestions import suggestions, term_at

TODAY = date(2026, 5, 4)
CASES = json.loads(Path(__file__).with_name("cases").joinpath("search.json").read_text("utf-8"))


def as_json(test: Any) -> Any:
    return None if test is None else test.model_dump(mode="json", by_alias=True, exclude_none=True)


@pytest.mark.parametrize("case", CASES, ids=[case["note"] for case in CASES])
def test_what_is_typed_becomes_a_test(case: dict[str, Any]) -> None:
    search = understand(case["typed"], TODAY)
    if "all" in case:
        tests = as_json(search.test)[case["join"]]
        assert [[condition["field"], condition["values"][0]] for condition in tests][
            : len(case["all"])
        ] == case["all"]
    elif case["test"] is None:
        assert search.test is None
    else:
        assert as_json(search.test) == as_json(read_test(case["test"]))
    problems = [str(problem) for problem in search.problems]
    assert [complaint.startswith(case.get("problem", "")) for complaint in problems] == [True] * (
        "problem" in case
    )


@pytest.mark.parametrize(
    ("typed", "unfinished"),
    [
        ("from:", ("from",)),
        ("permit kind:news", ("kind",)),
        ("kind:newsletter", ()),
        ("fo", ("folder",)),
        ("f", ()),
        ("before", ("before",)),
        ("fo permit", ()),
    ],
)
def test_a_prefix_that_is_begun_is_known_for_it(typed: str, unfinished: tuple[str, ...]) -> None:
    assert understand(typed, TODAY).unfinished == unfinished


@pytest.mark.parametrize(
    ("typed", "when", "unless"),
    [
        ("label:a", "label is a", None),
        ("label:a -label:b", "label is a", "label is b"),
        ("label:a label:c -label:b -label:d", "all: label is a, label is c", "any: label is b, label is d"),
        ("-label:b", "not label is b", None),
        ("-label:b -label:d", "all: not label is b, not label is d", None),
    ],
)  # fmt: skip
def test_a_minus_becomes_an_exception_of_the_rule(
    typed: str, when: str, unless: str | None
) -> None:
    def said(test: Any) -> Any:
        if test is None:
            return None
        document = test if isinstance(test, dict) else as_json(test)
        for kind in ("all", "any"):
            if kind in document:
                return f"{kind}: {', '.join(map(said, document[kind]))}"
        if "not" in document:
            return f"not {said(document['not'])}"
        return f"{document['field']} {document['test']} {document['values'][0]}"

    assert tuple(map(said, understand(typed, TODAY).as_rule())) == (when, unless)


PIECES = st.sampled_from([*'ab:"- é', "from:", "kind", "before"])


@given(st.lists(PIECES, max_size=20).map("".join))
def test_anything_can_be_typed_and_terms_cover_it_without_overlap(typed: str) -> None:
    understand(typed, TODAY)
    terms = list(search_terms(typed))
    for before, after in pairwise(terms):
        assert before.end <= after.start
    covered = "".join(typed[term.start : term.end] for term in terms)
    assert covered.replace(" ", "") == typed.replace(" ", "")


@pytest.mark.parametrize(
    ("typed", "offered"),
    [
        ("", [f"{name}:" for name in list(PREFIXES)[:9]]),
        ("permit k", ["kind:"]),
        ("kind:news", ["kind:newsletter "]),
        ("-kind:bou", ["-kind:bounce "]),
        ("label:ur", ['label:"Very urgent" ']),
        ("state:unread", []),
        ("kind:automatic", ["kind:auto_reply ", "kind:notification "]),
    ],
)
def test_prefixes_and_values_are_offered_where_the_caret_is(typed: str, offered: list[str]) -> None:
    values = {"label": [("Very urgent", "3 messages"), ("Permit", "")]}
    assert [suggestion.text for suggestion in suggestions(typed, len(typed), values)] == offered


@pytest.mark.parametrize("caret", [0, 3, 6])
def test_the_term_is_the_one_in_which_the_caret_stands_also_at_its_ends(caret: int) -> None:
    assert (term_at("permit  berth", caret).start, term_at("permit  berth", 7).start) == (0, 7)
