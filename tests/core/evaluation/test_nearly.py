"""Nearly: which conditions would have to turn, against every way of turning them."""

from itertools import combinations

from hypothesis import given
from hypothesis import strategies as st

from mnemic.core import Given, parse_message, read_rule, take
from mnemic.core.analysis.risks import short_phrases
from mnemic.core.evaluation.matching import TestTrail
from mnemic.core.evaluation.nearly import distance, flips_needed, missing
from mnemic.core.rules.reading import read_test

LEAVES = st.booleans().map(lambda held: TestTrail("condition", held))


def _group(kind: str, inside: list[TestTrail]) -> TestTrail:
    held = all if kind == "all" else any
    return TestTrail(kind, held(test.held for test in inside), tuple(inside))  # type: ignore[arg-type] # one of both


TRAILS = st.recursive(
    LEAVES,
    lambda inner: st.one_of(
        st.builds(_group, st.sampled_from(["all", "any"]), st.lists(inner, min_size=1, max_size=3)),
        inner.map(lambda trail: TestTrail("not", not trail.held, (trail,))),
    ),
    max_leaves=6,
)


def answer(trail: TestTrail, turned: frozenset[int], counter: list[int]) -> bool:
    """What the test answers with the conditions of these numbers turned."""
    if trail.kind == "condition":
        counter[0] += 1
        return trail.held != (counter[0] - 1 in turned)
    inside = [answer(test, turned, counter) for test in trail.inside]
    if trail.kind == "not":
        return not inside[0]
    return all(inside) if trail.kind == "all" else any(inside)


def leaves(trail: TestTrail) -> int:
    return 1 if trail.kind == "condition" else sum(map(leaves, trail.inside))


@given(TRAILS)
def test_no_fewer_conditions_would_do_and_these_do(trail: TestTrail) -> None:
    numbers = range(leaves(trail))
    fewest = next(
        size
        for size in range(len(numbers) + 1)
        for turned in combinations(numbers, size)
        if answer(trail, frozenset(turned), [0])
    )
    flips = flips_needed(trail, True)
    assert flips is not None
    assert len(flips) == fewest


def test_the_one_condition_that_keeps_a_message_out_is_named() -> None:
    rule = read_rule(
        {
            "name": "r",
            "when": {
                "all": [
                    {"field": "subject", "test": "words", "values": ["permit"]},
                    {"not": {"field": "from", "test": "contains", "values": ["noreply"]}},
                ]
            },
            "unless": {"field": "body", "test": "contains", "values": ["test"]},
            "then": [{"do": "keep"}],
        }
    )

    def why(text: bytes) -> tuple[str, bool] | None:
        kept_out_by = missing(take(rule, parse_message(text), Given()))
        if kept_out_by is None:
            return None
        return getattr(kept_out_by.condition.condition, "field", ""), kept_out_by.spared

    assert why(b"Subject: permit\n\nx") is None  # taken
    assert why(b"Subject: other\n\nx") is None  # by one, but nothing speaks for it
    assert why(b"From: noreply@x.example\nSubject: permit\n\nx") == ("from", True)
    assert why(b"Subject: permit\n\na test") == ("body", True)
    assert why(b"Subject: other\n\na test") is None  # by two


def test_short_phrases_are_found_wherever_they_stand() -> None:
    test = read_test(
        {
            "any": [
                {"field": "subject", "test": "contains", "values": ["RE", "permit"]},
                {"not": {"field": "body", "test": "begins", "values": ["a"]}},
                {"field": "subject", "test": "words", "values": ["ok"]},
            ]
        }
    )
    assert short_phrases(test) == ("re", "a")


def test_how_far_a_message_is_from_a_rule() -> None:
    message = parse_message(b"From: a@x.example\nSubject: permit\n\nhi")
    word = {"field": "subject", "test": "words", "values": ["permit"]}
    other = {"field": "body", "test": "words", "values": ["berth"]}
    then = [{"do": "flag"}]
    away = [
        distance(take(read_rule({"name": "r", "then": then, **case}), message, Given()))
        for case in (
            {"when": word},
            {"when": {"all": [word, other]}},
            {"when": other, "unless": word},
            {"when": {"not": {"always": True}}},
        )
    ]
    assert away == [0, 1, 2, None]
