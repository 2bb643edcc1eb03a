"""Flags that a server tells: what is read of few lines is what the library reads of each."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from imapclient.response_parser import parse_fetch_response

from mnemic.post.imap.told_flags import flags_from, usual_flags

FLAGS = st.lists(
    st.sampled_from(
        [b"\\Seen", b"\\SEEN", b"\\Flagged", b"$Forwarded", b"Lock_works", b"NIL", b"1"]
    ),
    max_size=4,
)

#: Lines that are no usual answer: they are left to the library, or to whoever looks for errors.
OTHERS = [
    b"1 (FLAGS (\\Seen) UID 7)",
    b'1 (UID 7 FLAGS ("\\\\Seen"))',
    b"1 (UID 7 FLAGS (a (b)))",
    b"1 (UID 7 FLAGS (\\Seen) RFC822.SIZE 3)",
    b"1 (UID 77777777777 FLAGS ())",
    b"1 (UID 7 FLAGS ()",
    (b"1 (UID 7 FLAGS {3}", b"abc"),
]


@given(st.dictionaries(st.integers(1, 2**32 - 1), st.tuples(FLAGS, st.booleans())))
def test_flags_are_those_that_the_library_reads(
    flags_by_uid: dict[int, tuple[list[bytes], bool]],
) -> None:
    lines = [
        b"%d (UID %d FLAGS (%b)%b)"
        % (at, uid, b" ".join(flags), b" MODSEQ (9)" if counted else b"")
        for at, (uid, (flags, counted)) in enumerate(flags_by_uid.items(), 1)
    ]
    read = parse_fetch_response(lines, False, True) if lines else {}
    expected = {uid: flags_from(facts[b"FLAGS"]) for uid, facts in read.items()}
    assert usual_flags(lines) == (expected, [])


@pytest.mark.parametrize("line", OTHERS, ids=str)
def test_other_lines_are_left(line: object) -> None:
    assert usual_flags([line]) == ({}, [line])
