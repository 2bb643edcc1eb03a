"""Lines that may be boundaries (RFC 2046, section 5.1.1), held against the library's own reading."""

from email.feedparser import BufferedSubFile  # type: ignore[attr-defined] # without a stub
from email.message import Message

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mnemic.core.message import mime_reading
from mnemic.core.message.mime_reading import _BoundedParser
from mnemic.core.message.structured import parameter

#: Near to boundaries, and what begins, ends and breaks parts.
LINES = st.sampled_from(
    [
        "--a", "--a--", "--a \t", "--a--  ", "--ab", "--ab--", "--a-", "---a", " --a", "--", "-",
        "--a\x0b", "--a b", "--a b--", "", "text", "\x0c",
        "Content-Type: multipart/mixed; boundary=a",
        "Content-Type: multipart/mixed; boundary=ab",
        'Content-Type: multipart/mixed; boundary="a b "',
        'Content-Type: multipart/mixed; boundary="a--"',
        "Content-Type: multipart/mixed",
        "Content-Type: message/rfc822",
        "Content-Type: message/delivery-status",
        "Subject: x",
    ]
)  # fmt: skip
MESSAGES = st.lists(st.tuples(LINES, st.sampled_from(["\n", "\r\n", "\r", ""])), max_size=40)


def read(parser: _BoundedParser, octets: bytes) -> list[object]:
    """All that a parser made of a message: what each part says, and what stands around its parts."""
    parser.feed(octets)
    return list(map(said, parser.message()[0].walk()))


def said(part: Message) -> object:
    payload = len(part.get_payload()) if part.is_multipart() else part.get_payload()
    return part.items(), payload, part.preamble, part.epilogue, list(map(repr, part.defects))


def held(octets: bytes) -> None:
    plain = _BoundedParser()
    plain._input = BufferedSubFile()
    assert list(map(repr, read(_BoundedParser(), octets))) == list(map(repr, read(plain, octets)))


@given(MESSAGES)
def test_what_is_asked_about_fewer_lines_is_read_the_same(lines: list[tuple[str, str]]) -> None:
    held("".join(line + end for line, end in lines).encode())


@pytest.mark.parametrize("between", ["x\n", "--inner\nx\n--inner--\n", "--outer \nx\n", "\n"])
def test_parts_of_parts_end_where_the_outer_one_does(between: str) -> None:
    held(
        (
            "Content-Type: multipart/mixed; boundary=outer\n\n--outer\n"
            f"Content-Type: multipart/mixed; boundary=inner\n\n{between}--outer--\nafter\n"
        ).encode()
    )


def test_a_boundary_is_read_once_however_many_parts_it_stands_between(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    asked = []

    def counted(field: str, name: str) -> str:
        asked.append(name)
        return parameter(field, name)

    monkeypatch.setattr(mime_reading, "parameter", counted)
    octets = b"Content-Type: multipart/mixed; boundary=a\n\n" + b"--a\n\nx\n" * 50
    assert len(read(_BoundedParser(), octets)) == 51
    assert asked == ["boundary"]
