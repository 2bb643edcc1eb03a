"""The core held against a second reading of the rule document's text (tests/core/second_reading)."""

from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from hypothesis import example, given, settings
from hypothesis import strategies as st

from mnemic.core import (
    Circumstances,
    Given,
    MessageState,
    parse_message,
    read_rule,
    through_rules,
)
from tests.core.second_reading import DOMAIN, MadeMail, Now, outcome
from tests.core.strategies import TEXT_TESTS

#: Letters that folding, white space, word edges and wildcards treat in their own ways.
PIECES = [
    *("permit", "Permit", "permit9", "berth number", "straße", "STRASSE", "ß", "ﬁsh", "fish", "½"),
    *("é", "e\u0301", "\u0301", "ｐermit", "a\u00adb", "ab", "a b", "a\u00a0b", "a\u3000b", "\ufeffx"),
    *("x_y", "x", "_", "İ", "ı", "I", "Σ", "ς", "ᾳ", "\u0345", "Ǆ", "ŉ", "ﷺ", "Å", "\u212b", "𝐀"),
    *("*", "?", "\\", "per*", "p?rmit", "\\*", "permit\\", "."),
]  # fmt: skip
PATTERNS = ["^per", "permit$", r"\bfish\b", "[a-c]", "ß", "^a b$", "(?i)PERMIT", r"\s", "^$", "."]
ADDRESSES = [
    *("ann@x.example", "Ann@X.Example", "bob+tag@mail.x.example", "Bob+Tag+more@Y.example"),
    *(f"c@{domain}" for domain in DOMAIN),
    f"C@{DOMAIN[0].upper()}",
]
OF_ADDRESSES = [
    *("ann", "bob", "tag", "Tag+more", "Jürg", "JÜRG", "b*", "*@x.example", "@x", "ample", "example"),
    *("x.example", "mail.x.example", *DOMAIN, "*.example"),
]  # fmt: skip

pieces = st.sampled_from(PIECES)
texts = st.tuples(st.sampled_from([" ", "  ", "", "\t"]), st.lists(pieces, max_size=4)).map(
    lambda drawn: drawn[0].join(drawn[1])
)
people = st.lists(st.tuples(st.sampled_from(["", "Ann", "Bob Brandt", "Jürg"]), st.sampled_from(ADDRESSES)), max_size=2)  # fmt: skip
moments = st.integers(-2, 2).map(lambda step: datetime(2026, 5, 3, 23, tzinfo=UTC) + timedelta(minutes=30 * step))  # fmt: skip
mail = st.builds(
    MadeMail,
    st.none() | texts,
    texts,
    st.lists(texts, max_size=2),
    st.fixed_dictionaries({"From": people, "To": people, "Cc": people}),
    moments,
)
now = st.builds(
    Now,
    st.sampled_from(["arrival", "daily"]),
    st.just(datetime(2026, 5, 4, 23, 30, tzinfo=UTC)),
    st.sampled_from([UTC, ZoneInfo("Europe/Lisbon")]),
    st.booleans(),
    st.booleans(),
)


def condition(**drawn: Any) -> st.SearchStrategy[dict[str, Any]]:
    return st.fixed_dictionaries(
        {
            name: one if isinstance(one, st.SearchStrategy) else st.just(one)
            for name, one in drawn.items()
        }
    )


def some(*listed: Any) -> st.SearchStrategy[list[Any]]:
    return st.lists(st.sampled_from(listed), min_size=1, max_size=2)


text_tests, headers = (
    st.sampled_from(TEXT_TESTS),
    st.sampled_from(["from", "to", "cc", "recipient"]),
)
values = st.lists(pieces, min_size=1, max_size=2)
conditions = st.one_of(
    condition(field=st.sampled_from(["subject", "body", "text"]), test=text_tests, values=values, case=st.booleans()),
    condition(field=st.sampled_from(["subject", "body"]), test="regex", values=some(*PATTERNS), case=st.booleans()),
    condition(field="header", name="x-tag", test=text_tests, values=values),
    condition(field="header", name="X-Tag", test="exists"),
    condition(field=headers, test=text_tests, part=st.sampled_from(["address", "domain", "any"]), values=some(*OF_ADDRESSES, *ADDRESSES)),
    condition(field=headers, test=text_tests, part=st.sampled_from(["local", "user", "tag", "name"]), values=some(*OF_ADDRESSES, "Bob  Brandt"), case=st.booleans()),
    condition(field=headers, test="under", part="domain", values=some(*DOMAIN, "example", "X.Example")),
    condition(field="received", test=st.sampled_from(["before", "after", "on"]), values=some("2026-05-03", "2026-05-04")),
    condition(field="age", test=st.sampled_from(["over", "under"]), values=some("1 day", "24 hours", "1470 minutes", "1 week")),
    condition(field=st.sampled_from(["seen", "flagged"]), test="is", values=st.booleans().map(lambda is_so: [is_so])),
    st.just({"always": True}),
)  # fmt: skip
tests = st.recursive(
    conditions,
    lambda inner: st.one_of(
        *(condition(**{kind: st.lists(inner, min_size=1, max_size=3)}) for kind in ("all", "any")),
        condition(**{"not": inner}),
    ),
    max_leaves=4,
)
ACTIONS = [
    *({"do": done} for done in ("keep", "archive", "trash", "erase", "read", "unread", "flag", "unflag")),
    *({"do": done, "folder": folder} for done in ("file", "copy") for folder in ("A", "B/C")),
    *({"do": done, "label": label} for done in ("label", "unlabel") for label in ("Red", "red", "straße")),
]  # fmt: skip
SLOTS = {
    **dict.fromkeys(("file", "keep", "archive", "trash", "erase"), "place"),
    **dict.fromkeys(("read", "unread"), "seen"),
    **dict.fromkeys(("flag", "unflag"), "flagged"),
}
rules = st.lists(
    st.fixed_dictionaries(
        {
            "when": tests,
            "then": st.lists(
                st.sampled_from(ACTIONS),
                min_size=1,
                max_size=4,
                unique_by=lambda action: SLOTS.get(action["do"], str(action)),
            ),
            "stop": st.booleans(),
        },
        optional={
            "unless": tests,
            "enabled": st.booleans(),
            "runs": some("arrival", "daily").map(lambda runs: list(dict.fromkeys(runs))),
            "active": st.sampled_from([{"from": "2026-05-04"}, {"until": "2026-05-03"}]),
        },
    ),
    min_size=1,
    max_size=3,
).map(lambda line: [{"name": f"r{at}", **rule} for at, rule in enumerate(line)])


def by_core(line: list[dict[str, Any]], message: MadeMail, at: Now) -> dict[str, Any]:
    circumstances = Circumstances(now=at.moment, timezone=at.zone)
    state = MessageState("ann@x.example", "Inbox", (), at.seen, at.flagged)
    came = through_rules(
        [read_rule(rule) for rule in line],
        parse_message(message.octets()),
        at.event,  # type: ignore[arg-type] # one of the events
        Given(state, circumstances),
    )
    return {
        name: list(said) if isinstance(said := getattr(came, name), tuple) else said
        for name in outcome([], message, at)
    }


@settings(max_examples=400, deadline=None)
@given(rules, mail, now)
@example(
    [{"name": "r", "when": {"field": "from", "test": "contains", "part": "address", "values": ["xn--bcher-kva.example"]}, "then": [{"do": "archive"}]}],
    MadeMail(None, "", (), {"From": [("", "c@xn--bcher-kva.example")], "To": [], "Cc": []}, datetime(2026, 5, 3, tzinfo=UTC)),
    Now("arrival", datetime(2026, 5, 4, tzinfo=UTC), UTC, False, False),
)  # fmt: skip
def test_the_core_does_what_the_text_says(
    line: list[dict[str, Any]], message: MadeMail, at: Now
) -> None:
    assert by_core(line, message, at) == outcome(line, message, at)
