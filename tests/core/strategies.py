"""Rules and mail for property tests: few words and addresses, so that conditions often hold."""

from typing import Any

from hypothesis import strategies as st

WORDS = [
    "permit",
    "Permit",
    "berth number",
    "new",
    "news",
    "straße",
    "STRASSE",
    "a",
    "ß",
    "é",
    "new product:",
]
LOCALS = ["ann", "Bob+tag", "no-reply", "moorings"]
DOMAINS = [
    "x.example",
    "mail.x.example",
    "bücher.example",
    "xn--bcher-kva.example",
    "straße.example",
]
ADDRESSES = [f"{local}@{domain}" for local in LOCALS for domain in DOMAINS]
NAMES = ["Ann", '"Brandt, Bob"', "=?utf-8?q?J=C3=BCrg?=", ""]

words = st.sampled_from(WORDS)
texts = st.lists(words, max_size=5).map(" ".join)
values = st.lists(words | st.sampled_from(["*", "?e*", "per", "it"]), min_size=1, max_size=3)
TEXT_TESTS = ["contains", "words", "is", "begins", "ends", "wildcard"]


def condition(field: str, **more: Any) -> st.SearchStrategy[dict[str, Any]]:
    fixed = {"field": st.just(field)}
    return st.fixed_dictionaries(fixed | dict(more))


text_tests = st.sampled_from(TEXT_TESTS)
address_conditions = st.one_of(
    condition(
        "from",
        test=text_tests,
        part=st.sampled_from(["address", "domain", "local", "user", "tag", "name", "any"]),
        values=st.lists(st.sampled_from([*ADDRESSES, *DOMAINS, *LOCALS, "*", "Jürg", "ann*"]), min_size=1, max_size=3),
        case=st.booleans(),
    ),
    condition("recipient", test=st.sampled_from(["is", "contains"]), values=st.lists(st.sampled_from(ADDRESSES), min_size=1, max_size=2)),
    condition("from", test=st.just("under"), part=st.just("domain"), values=st.lists(st.sampled_from([*DOMAINS, "example"]), min_size=1, max_size=2)),
)  # fmt: skip
text_conditions = st.one_of(
    condition("subject", test=text_tests, values=values, case=st.booleans()),
    condition("body", test=text_tests, values=values),
    condition("text", test=text_tests, values=values),
    condition("subject", test=st.just("regex"), values=st.lists(st.sampled_from(["^per", "[a-c]rt", "\\bnew\\b", "(?i)PERMIT", "$"]), min_size=1, max_size=2), case=st.booleans()),
    condition("header", name=st.just("X-Tag"), test=text_tests, values=values),
    condition("list", test=st.just("exists")),
    condition("attachment", test=st.just("exists")),
)  # fmt: skip
other_conditions = st.one_of(
    condition("size", test=st.sampled_from(["over", "under"]), values=st.just([200])),
    condition("kind", test=st.just("is"), values=st.just(["newsletter", "notification"])),
    condition("priority", test=st.just("is"), values=st.just(["high"])),
    condition("seen", test=st.just("is"), values=st.just([False])),
    condition("age", test=st.just("over"), values=st.just(["1 day"])),
    condition("addressed", test=st.just("is"), values=st.just(["to_me"])),
)
conditions = address_conditions | text_conditions | other_conditions
tests = st.recursive(
    conditions | st.just({"always": True}),
    lambda inner: st.one_of(
        st.lists(inner, min_size=1, max_size=3).map(lambda tests: {"all": tests}),
        st.lists(inner, min_size=1, max_size=3).map(lambda tests: {"any": tests}),
        inner.map(lambda test: {"not": test}),
    ),
    max_leaves=5,
)
actions = st.one_of(
    st.sampled_from(["A", "B"]).map(lambda folder: [{"do": "file", "folder": folder}]),
    st.sampled_from(["Red", "red"]).map(lambda label: [{"do": "label", "label": label}, {"do": "flag"}]),
    st.just([{"do": "unlabel", "label": "Red"}, {"do": "archive"}]),
    st.just([{"do": "forward", "to": ["c@x.example"]}, {"do": "reply", "text": "away"}]),
    st.just([{"do": "copy", "folder": "A"}, {"do": "notify"}, {"do": "colour", "colour": "moss"}]),
)  # fmt: skip
active = st.sampled_from(
    [{"from": "2026-04-20"}, {"until": "2026-05-01"}, {"from": "2026-05-01", "until": "2026-05-01"}]
)
rules = st.fixed_dictionaries(
    {"name": st.just("r"), "when": tests, "then": actions, "stop": st.booleans()},
    optional={
        "unless": tests,
        "enabled": st.booleans(),
        "accounts": st.just(["ann@x.example"]),
        "active": active,
    },
)
mail = st.builds(
    lambda sender, name, to, subject, body, tag, extra: (
        f"From: {name} <{sender}>\nTo: {', '.join(to)}\nSubject: {subject}\nX-Tag: {tag}\n{extra}\n{body}"
    ).encode(),
    st.sampled_from(ADDRESSES),
    st.sampled_from(NAMES),
    st.lists(st.sampled_from(ADDRESSES), min_size=1, max_size=3),
    texts,
    texts,
    texts,
    st.sampled_from(["", "List-Id: <a.b>\n", "X-Priority: 1 (Highest)\n", "Auto-Submitted: auto-generated\n", "Received: by x; Fri, 1 May 2026 23:59:59 +0000\n", "Received: by x; Thu, 30 Apr 2026 12:00:00 +0000\n"]),
)  # fmt: skip
