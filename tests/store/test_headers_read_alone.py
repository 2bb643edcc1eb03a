"""Conditions on header fields, of which no more is unpacked and read than they need."""

from datetime import UTC, datetime

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from mnemic.core import Circumstances, parse_message, read_rule
from mnemic.core.bounds import MOST_FIELD, MOST_FIELDS
from mnemic.core.evaluation.outcome import take
from mnemic.core.fields import BaseCondition
from mnemic.core.message.mime_reading import header_end
from mnemic.core.message.parsing import parse_header
from mnemic.jobs import rehearse, take_in
from mnemic.store import Database
from mnemic.store.engine.packing import pack, unpacked_header
from mnemic.store.search.masks import IdRange, Masks

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)

#: What a short reading of a header could trip over: RFC 5322, sections 2.2 and 4.5, from memory.
HEADERS = [
    b"X-Tag: yes\r\nSubject: a\r\n\r\n",
    b"x-tAG:\r\n yes\r\n\tmore\r\n\r\n",
    b"X-Tag : yes\r\n\r\n",
    b"X-Tag: =?utf-8?q?y=65s?=\n\n",
    b"Subject: X-Tag: yes\r\n\r\n",
    b"Subject: b\r\n\r\nX-Tag: yes\r\n",
    b"Subject: c\r\n X-Tag: yes\r\n\r\n",
    b"X-Tagged: yes\r\n\r\n",
    b"\r\nX-Tag: yes\r\n",
    b"From x@y.example Mon May  4\nX-Tag: yes\n\n",
    b"X-Tag: no\rX-Tag: yes\r\r",
    b"X-Tag: yes",
    b"X-Tag: no\n\rX-Tag: yes\n",
    b"",
]


def filled(count: int) -> bytes:
    """A header that is longer than what is unpacked at first."""
    return b"".join(b"X-%d: %s\r\n" % (number, b"abc" * 20) for number in range(count))


ALL = [
    *HEADERS,
    *(filled(400) + header for header in HEADERS),
    *(header + b"z" * 70_000 for header in HEADERS),
]


@pytest.mark.parametrize("test", ["contains", "exists", "is"])
def test_header_fields_are_the_same_whether_the_whole_message_is_read(
    database: Database, test: str
) -> None:
    values = {} if test == "exists" else {"values": ["yes"]}
    when = {"field": "header", "name": "X-Tag", "test": test, **values}
    rule = read_rule({"name": "r", "when": when, "then": [{"do": "flag"}]})
    wanted = [take(rule, parse_message(octets)).took for octets in ALL]
    assert len(set(wanted)) == 2
    with database.writing() as session:
        for octets in ALL:
            take_in(session, parse_message(octets), received=NOW)
    with database.reading() as session:
        assert rehearse(session, rule, now=NOW).takes == sum(wanted)
        masks = Masks(session, Circumstances(now=NOW))
        assert isinstance(rule.when, BaseCondition)
        assert masks.of(rule.when, IdRange(0, len(ALL))).tolist() == wanted


PIECES = st.sampled_from(
    [
        *(
            b"X-Tag",
            b"x-tag",
            b"Subject",
            b":",
            b" ",
            b"\t",
            b"\r\n",
            b"\n",
            b"\r",
            b"\0",
            b"From ",
        ),
        *(
            b"yes",
            b"=?utf-8?q?y=65s?=",
            b"\xc3\xa9",
            b"\xff",
            b"\x85",
            b"A: b\n",
            b"X-Tag: yes\r\n",
        ),
        b"X-Tag:\r\n a\r\n",
    ]
)


@given(st.lists(PIECES).map(b"".join))
@example(b"X-Tag:" + b"z" * (MOST_FIELD + 9) + b"\r\n\r\n")
@example(b"X-Tag: a\n" * (MOST_FIELDS + 9))
def test_one_field_says_what_it_says_among_all(octets: bytes) -> None:
    whole = parse_message(octets)
    for name in ("X-Tag", "subject", "a"):
        assert parse_header(octets, name).header(name) == whole.header(name)


@pytest.mark.parametrize("octets", ALL)
def test_so_much_is_unpacked_as_the_header_has(octets: bytes) -> None:
    whole = octets + b"z\x00" * 150_000
    end = header_end(whole)
    assert unpacked_header(whole, None) == unpacked_header(b"", pack(whole)) == whole[:end]
