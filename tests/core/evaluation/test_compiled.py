"""The compiled rule set gives what the plain evaluator gives, rule for rule."""

from datetime import UTC, datetime
from itertools import pairwise
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from mnemic.core import (
    Circumstances,
    CompiledRules,
    Given,
    MessageState,
    parse_message,
    read_rule,
    through_rules,
)
from tests.core import strategies

GIVEN = Given(
    MessageState("ann@x.example"),
    Circumstances(now=datetime(2026, 5, 4, tzinfo=UTC), me=frozenset(["ann@x.example"])),
)


@settings(max_examples=300, deadline=None)
@given(
    st.lists(strategies.rules, max_size=6),
    st.lists(strategies.mail, min_size=1, max_size=3),
    st.booleans(),
)
def test_compiled_equals_plain(
    written: list[dict[str, Any]], mail: list[bytes], with_account: bool
) -> None:
    rules = [read_rule({**rule, "name": f"r{number}"}) for number, rule in enumerate(written)]
    compiled = CompiledRules(rules)
    given_ = GIVEN if with_account else Given()
    for octets in mail:
        plain = through_rules(rules, parse_message(octets), "arrival", given_)
        assert compiled.decide(parse_message(octets), given_) == plain._replace(trail=())
        explained = plain._replace(trail=plain.takers)
        assert compiled.explain(parse_message(octets), given_) == explained


@settings(max_examples=150, deadline=None)
@given(
    st.lists(strategies.address_conditions | strategies.text_conditions, min_size=10, max_size=30),
    strategies.mail,
)
def test_each_of_many_conditions_holds_as_it_does_alone(
    conditions: list[dict[str, Any]], octets: bytes
) -> None:
    rules = [read_rule(one(**condition)) for condition in conditions]
    rules += [read_rule(one(all=list(pair))) for pair in pairwise(conditions)]
    plain = through_rules(rules, parse_message(octets))
    assert CompiledRules(rules).decide(parse_message(octets)).taken_by == plain.taken_by


def one(**condition: Any) -> dict[str, Any]:
    return {"name": "r", "when": condition, "then": [{"do": "keep"}]}


def test_overlapping_phrases_are_all_found() -> None:
    phrases = ["new", "news", "ews", "news news", "s n", "wsne"]
    rules = [
        read_rule(one(field="subject", test="contains", values=[phrase])) for phrase in phrases
    ]
    message = parse_message(b"Subject: News news\n\n")
    assert CompiledRules(rules).decide(message).taken_by == (0, 1, 2, 3, 4)


def test_a_set_of_patterns_that_needs_too_much_memory_is_tried_one_by_one() -> None:
    huge = [f"(?:{letter}?){{900}}(?:[^x]?){{900}}{letter}{{9}}" for letter in "abcdefgh"]
    rules = [read_rule(one(field="subject", test="regex", values=[pattern])) for pattern in huge]
    message = parse_message(b"Subject: " + b"a" * 50 + b"\n\n")
    plain = through_rules(rules, message)
    assert 0 in plain.taken_by
    assert CompiledRules(rules).decide(message) == plain._replace(trail=())


def test_rules_of_another_event_are_left_out() -> None:
    rule = read_rule({**one(always=True), "runs": ["hand"]})
    assert CompiledRules([rule]).decide(parse_message(b"")).taken_by == ()
    assert CompiledRules([rule], "hand").decide(parse_message(b"")).taken_by == (0,)
