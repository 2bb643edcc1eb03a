"""The order check claims nothing that mail could belie, and finds what a person would see."""

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mnemic.core import Given, parse_message, read_rule, through_rules
from mnemic.core.analysis.entailment import excludes, follows
from mnemic.core.analysis.order_check import check_line, same_mail, takes_apart
from mnemic.core.rules.reading import read_test
from tests.core import strategies
from tests.core.evaluation.test_compiled import GIVEN

FILE_A, FILE_B = {"do": "file", "folder": "A"}, {"do": "file", "folder": "B"}
LABEL = {"do": "label", "label": "Red"}


def is_from(*values: str, **more: Any) -> dict[str, Any]:
    return {"field": "from", "test": "is", "values": list(values), **more}


def subject(test: str, *values: str) -> dict[str, Any]:
    return {"field": "subject", "test": test, "values": list(values)}


def rule(when: Any, *then: Any, **more: Any) -> dict[str, Any]:
    return {"name": "r", "when": when, "then": list(then) or [FILE_A], **more}


SHOP = {"field": "from", "part": "domain", "test": "under", "values": ["shop.example"]}
ANNE = is_from("anne@eu.shop.example")
NEWS = {"field": "kind", "test": "is", "values": ["newsletter"]}
PERSONAL = {"field": "kind", "test": "is", "values": ["personal"]}
TO_ME = {"field": "to", "test": "is", "values": ["a@x.example"]}
CAME = {"field": "recipient", "test": "is", "values": ["a@x.example", "b@x.example"]}
ANYTHING = {"always": True}

CASES: list[tuple[str, list[dict[str, Any]], tuple[str, ...]]] = [
    ("a domain stops one of its addresses", [rule(SHOP, stop=True), rule(ANNE, LABEL)], ("never_acts",)),
    ("its place is always taken", [rule(SHOP, FILE_A), rule(ANNE, FILE_B)], ("never_acts",)),
    ("a label is still to be put", [rule(SHOP, FILE_A), rule(ANNE, FILE_B, LABEL)], ()),
    ("the later one stops others", [rule(SHOP, FILE_A), rule(ANNE, FILE_B, stop=True)], ()),
    ("some of its mail gets past", [rule(ANNE, stop=True), rule(SHOP, LABEL)], ()),
    ("every value is stopped by one or the other", [rule(is_from("a@x.example"), stop=True), rule(is_from("b@x.example"), stop=True), rule(is_from("a@x.example", "b@x.example"), LABEL)], ("never_acts",)),
    ("the earlier one spares some", [rule(SHOP, stop=True, unless=ANNE), rule(ANNE, LABEL)], ()),
    ("the later one spares just what gets past", [rule(SHOP, stop=True, unless=NEWS), rule(ANNE, LABEL, unless=NEWS)], ("never_acts",)),
    ("an exception leaves the stopped ones", [rule(SHOP, stop=True), rule(ANYTHING, LABEL, unless=SHOP)], ()),
    ("the earlier one is off", [rule(SHOP, stop=True, enabled=False), rule(ANNE, LABEL)], ()),
    ("the earlier one runs on other mail", [rule(SHOP, stop=True, runs=["sent"]), rule(ANNE, LABEL)], ()),
    ("asked for, it runs by itself", [rule(SHOP, stop=True, runs=["arrival", "hand"]), rule(ANNE, LABEL, runs=["arrival", "hand"])], ()),
    ("the earlier one is for one account", [rule(SHOP, stop=True, accounts=["a@x.example"]), rule(ANNE, LABEL)], ()),
    ("all but nothing comes after always", [rule(ANYTHING, stop=True), rule(subject("contains", "x"), LABEL)], ("never_acts",)),
    ("a phrase within a phrase", [rule(subject("contains", "permit"), stop=True), rule(subject("words", "mooring permits"), LABEL)], ("never_acts",)),
    ("a phrase around a phrase", [rule(subject("contains", "mooring permits"), stop=True), rule(subject("contains", "permit"), LABEL)], ()),
    ("To is one of the recipients", [rule(CAME, stop=True), rule(TO_ME, LABEL)], ("never_acts",)),
    ("recipients are not only those in To", [rule(TO_ME, stop=True), rule(CAME, LABEL)], ()),
    ("subject or text holds the subject", [rule({"field": "text", "test": "contains", "values": ["x"]}, stop=True), rule(subject("contains", "xy"), LABEL)], ("never_acts",)),
    ("the same twice", [rule({"all": [SHOP, NEWS]}), rule({"all": [NEWS, SHOP]})], ("duplicate",)),
    ("the same with other words", [rule({"not": {"any": [SHOP, NEWS]}}, LABEL), rule({"all": [{"not": SHOP}, {"not": NEWS}]}, LABEL)], ("duplicate",)),
    ("no mail is of two kinds", [rule({"all": [NEWS, PERSONAL]})], ("takes_nothing",)),
    ("no subject is two texts", [rule({"all": [subject("is", "a"), subject("is", "b")]})], ("takes_nothing",)),
    ("no size is over and under", [rule({"all": [{"field": "size", "test": "over", "values": ["2 MB"]}, {"field": "size", "test": "under", "values": ["1 MB"]}]})], ("takes_nothing",)),
    ("no day is before and after", [rule({"all": [{"field": "received", "test": "before", "values": ["2026-05-04"]}, {"field": "received", "test": "on", "values": ["2026-05-04"]}]})], ("takes_nothing",)),
    ("several people may be addressed", [rule({"all": [TO_ME, {**TO_ME, "values": ["b@x.example"]}]})], ()),
    ("an exception takes all back", [rule(ANNE, unless=SHOP)], ("takes_nothing",)),
]  # fmt: skip


@pytest.mark.parametrize(("written", "expected"), [case[1:] for case in CASES], ids=[case[0] for case in CASES])  # fmt: skip
def test_what_a_person_would_see_is_found(
    written: list[dict[str, Any]], expected: tuple[str, ...]
) -> None:
    findings = check_line([read_rule(document) for document in written])
    assert tuple(finding.kind for finding in findings) == expected
    assert all(finding.position == len(written) - 1 for finding in findings)


def test_rules_that_would_take_too_long_to_decide_are_left_alone() -> None:
    many = {
        "all": [{"any": [subject("contains", f"{a}{b}") for b in "abcdefgh"]} for a in "abcdefgh"]
    }
    assert check_line([read_rule(rule(many)), read_rule(rule(many, FILE_B))]) == ()  # fmt: skip


def has(field: str, test: str, value: Any, **more: Any) -> dict[str, Any]:
    return {"field": field, "test": test, "values": [value], **more}


def in_address(part: str, test: str, value: str) -> dict[str, Any]:
    return has("from", test, value, part=part)


#: A condition, another one, and whether the first brings the second with it, or keeps it out.
PAIRS: list[tuple[dict[str, Any], dict[str, Any], str]] = [
    (has("age", "over", "2 days"), has("age", "over", "1 day"), "brings"),
    (has("age", "over", "1 day"), has("age", "under", "1 day"), "excludes"),
    (has("age", "over", "1 day"), has("age", "under", "36 hours"), ""),
    (has("size", "under", "1 KB"), has("size", "under", 2000), "brings"),
    (has("size", "over", 1000), has("size", "under", 1001), "excludes"),
    (has("age", "over", "1 day"), has("size", "under", "1 KB"), ""),
    (has("received", "after", "2026-05-04"), has("received", "after", "2026-05-03"), "brings"),
    (has("received", "on", "2026-05-04"), has("received", "before", "2026-05-05"), "brings"),
    (has("received", "after", "2026-05-04"), has("received", "on", "2026-05-04"), "excludes"),
    (has("received", "on", "2026-05-04"), has("sent", "on", "2026-05-04"), ""),
    (has("folder", "is", "Shop"), has("folder", "is", "shop"), "brings"),
    (has("folder", "is", "Shop"), has("folder", "is", "Gauges"), "excludes"),
    (has("label", "is", "Red"), has("label", "is", "Blue"), ""),
    (has("account", "is", "Ann@X.example"), has("account", "is", "Ann@x.example"), "brings"),
    (has("flagged", "is", True), has("flagged", "is", False), "excludes"),
    (has("priority", "is", "high"), has("priority", "is", "low"), "excludes"),
    (has("addressed", "is", "only_me"), has("addressed", "is", "not_me"), "excludes"),
    (has("addressed", "is", "to_me"), has("addressed", "is", "cc_me"), ""),
    (has("contact", "is", "known"), has("contact", "is", "unknown"), "excludes"),
    (has("contact", "is", "known"), has("contact", "is", "first"), ""),
    (has("attachment_type", "is", "image/png"), {"field": "attachment", "test": "exists"}, "brings"),
    ({"field": "attachment", "test": "exists"}, has("attachment", "contains", "a"), ""),
    (has("header", "is", "a", name="X-Tag"), {"field": "header", "test": "exists", "name": "x-tag"}, "brings"),
    (has("header", "is", "a", name="X-Tag"), {"field": "header", "test": "exists", "name": "x-other"}, ""),
    (has("cc", "is", "a@x.example"), has("recipient", "is", "a@x.example"), "brings"),
    (has("recipient", "is", "a@x.example"), has("cc", "is", "a@x.example"), ""),
    (is_from("ann@x.example"), in_address("domain", "is", "x.example"), "brings"),
    (is_from("ann@x.example"), in_address("local", "is", "ann"), "brings"),
    (is_from("ann@x.example"), in_address("domain", "under", "example"), "brings"),
    (is_from("ann@x.example"), in_address("local", "is", "x"), ""),
    (in_address("domain", "is", "x.example"), in_address("address", "ends", "@x.example"), "brings"),
    (in_address("domain", "under", "x.example"), in_address("address", "ends", "x.example"), "brings"),
    (in_address("domain", "under", "x.example"), in_address("address", "ends", "@x.example"), ""),
    (subject("begins", "new product"), subject("begins", "new"), "brings"),
    (subject("ends", "the product"), subject("ends", "product"), "brings"),
    (subject("words", "new"), subject("regex", "new"), ""),
]  # fmt: skip


@pytest.mark.parametrize(("one", "other", "expected"), PAIRS, ids=str)
def test_what_one_condition_says_of_another(
    one: dict[str, Any], other: dict[str, Any], expected: str
) -> None:
    first: Any = read_test(one)
    second: Any = read_test(other)
    assert (follows(first, second), excludes(first, second)) == (
        expected == "brings",
        expected == "excludes",
    )


#: Few conditions, so that some follow from others.
few = st.one_of(
    st.sampled_from([SHOP, NEWS, TO_ME, CAME, ANYTHING]),
    st.builds(is_from, st.sampled_from(strategies.ADDRESSES)),
    st.builds(
        lambda test, value: {"field": "from", "part": "domain", "test": test, "values": [value]},
        st.sampled_from(["is", "under", "contains", "ends"]),
        st.sampled_from([*strategies.DOMAINS, "example"]),
    ),
    st.builds(subject, st.sampled_from(strategies.TEXT_TESTS), strategies.words),
)
few_tests = st.recursive(
    few,
    lambda inner: st.one_of(
        st.lists(inner, min_size=1, max_size=2).map(lambda tests: {"all": tests}),
        st.lists(inner, min_size=1, max_size=2).map(lambda tests: {"any": tests}),
        inner.map(lambda test: {"not": test}),
    ),
    max_leaves=3,
)
few_rules = st.fixed_dictionaries(
    {"name": st.just("r"), "when": few_tests, "then": strategies.actions, "stop": st.booleans()},
    optional={"unless": few_tests, "active": strategies.active},
)
EFFECTS = ("place", "folder", "copies", "labels", "unlabels", "seen", "flagged", "colour", "priority", "forward", "reply", "notify")  # fmt: skip


@settings(max_examples=400, deadline=None)
@given(
    st.lists(few_rules, min_size=2, max_size=4), st.lists(strategies.mail, min_size=1, max_size=8)
)
def test_never_acts_is_never_belied(written: list[dict[str, Any]], mail: list[bytes]) -> None:
    line = [read_rule(document) for document in written]
    claims = check_line(line)
    for octets in mail if claims else ():
        message = parse_message(octets)
        whole = through_rules(line, message, "arrival", GIVEN)
        for claim in claims:
            if claim.kind == "takes_nothing":
                assert claim.position not in whole.taken_by
                continue
            without = line[: claim.position] + line[claim.position + 1 :]
            rest = through_rules(without, message, "arrival", GIVEN)
            for effect in EFFECTS:
                assert getattr(whole, effect) == getattr(rest, effect)


@settings(max_examples=400, deadline=None)
@given(strategies.conditions | few, strategies.conditions | few, strategies.mail)
def test_what_follows_follows(one: Any, other: Any, octets: bytes) -> None:
    first, second = (read_test(single(part)) for part in (one, other))
    if isinstance(first, type(read_test(ANYTHING))) or isinstance(
        second, type(read_test(ANYTHING))
    ):
        return  # fmt: skip
    message = parse_message(octets)
    holds = [test.holds(message, GIVEN) for test in (first, second)]  # type: ignore[union-attr] # conditions
    if follows(first, second):
        assert holds[1] or not holds[0]
    if excludes(first, second):
        assert not all(holds)


def single(condition: Any) -> Any:
    values = condition.get("values")
    return {**condition, "values": values[:1]} if values else condition


@settings(max_examples=200, deadline=None)
@given(few_rules, few_rules, st.lists(strategies.mail, min_size=1, max_size=6))
def test_rules_said_to_be_alike_or_apart_are(one: Any, other: Any, mail: list[bytes]) -> None:
    rules = [read_rule({**part, "stop": False}) for part in (one, other)]
    alike, apart = same_mail(*rules), takes_apart(*rules)
    for octets in mail:
        taken = through_rules(rules, parse_message(octets), "arrival", Given()).taken_by
        assert not alike or taken in ((), (0, 1))
        assert not apart or taken != (0, 1)
