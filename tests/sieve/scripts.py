"""Scripts for property tests: few tests and folders, so that places and flags often meet."""

from hypothesis import strategies as st

__all__ = ["REQUIRE", "mail", "scripts"]

REQUIRE = (
    'require ["fileinto", "copy", "imap4flags", "envelope", "body", "subaddress", "relational",'
    ' "date", "special-use", "mailbox", "vacation"];\n'
)

_TESTS = (
    'header :contains "subject" "new"',
    'header :is "subject" ["permit", "new permit"]',
    'header :matches "subject" "p*"',
    'header :matches "subject" "*p?rmit*"',
    'header :contains "x-tag" ""',
    'header :is "x-tag" ""',
    'not exists "x-tag"',
    "size :over 200",
    "size :under 215",
    'address :localpart "from" "ann"',
    'address :domain :matches ["from", "to"] "*.x.example"',
    'address :detail :matches "to" "*"',
    'address :user "to" "bob"',
    'body :contains "berth"',
    'currentdate :zone "+0000" :value "ge" "date" "2026-05-01"',
    'date :zone "+0000" :is "date" "date" "2026-05-02"',
    "true",
    "false",
)
_COMMANDS = (
    'fileinto "A";',
    'fileinto "B";',
    'fileinto :copy "A";',
    'fileinto :copy :create "C";',
    'fileinto :specialuse "\\\\Trash" "Trash";',
    "keep;",
    "discard;",
    "stop;",
    'addflag "\\\\Seen";',
    'addflag ["Red", "Blue"];',
    'setflag "Red";',
    'removeflag "Red";',
    'removeflag "\\\\Seen";',
    'setflag "";',
    'fileinto :flags "Blue" "A";',
    'fileinto :copy :flags "Blue" "C";',
    'keep :flags "Red";',
    'redirect "c@x.example";',
    'redirect :copy "d@x.example";',
)

_tests = st.recursive(
    st.sampled_from(_TESTS),
    lambda inner: st.one_of(
        st.lists(inner, min_size=1, max_size=3).map(lambda tests: f"allof ({', '.join(tests)})"),
        st.lists(inner, min_size=1, max_size=3).map(lambda tests: f"anyof ({', '.join(tests)})"),
        inner.map(lambda tests: f"not {tests}"),
    ),
    max_leaves=3,
)
_commands = st.lists(st.sampled_from(_COMMANDS), min_size=1, max_size=3).map(" ".join)


def _chain(block: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    """An if, maybe with elsif and else."""
    return st.builds(
        lambda test, first, others, last: " ".join(
            [
                f"if {test} {{ {first} }}",
                *(f"elsif {tried} {{ {inside} }}" for tried, inside in others),
                *([f"else {{ {last} }}"] if last else []),
            ]
        ),
        _tests,
        block,
        st.lists(st.tuples(_tests, block), max_size=2),
        st.none() | block,
    )


_blocks = st.recursive(
    _commands,
    lambda inner: st.lists(_chain(inner) | _commands, min_size=1, max_size=2).map("\n".join),
    max_leaves=4,
)
scripts = st.lists(_chain(_blocks) | _commands, min_size=1, max_size=4).map("\n".join)

mail = st.builds(
    lambda sender, to, subject, extra, body: (
        f"From: {sender}\nTo: {to}\nSubject: {subject}\n{extra}\n{body}\n"
    ).encode(),
    st.sampled_from(["ann@x.example", "Bob <bob@mail.x.example>", "ANN@y.example"]),
    st.sampled_from(["bob+tag@x.example", "Bob <bob@x.example>, ann@y.example"]),
    st.sampled_from(["permit", "new permit", "A Permit, new", "paermit", "old"]),
    st.sampled_from(["", "X-Tag: 1\n", "X-Tag:\n", "Date: Sat, 02 May 2026 01:00:00 +0000\n"]),
    st.sampled_from(["", "berth number 4", "x" * 40]),
)
