"""Any octets give a message; what is well formed is read as the RFCs say (from memory)."""

from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from mnemic.core import looks_like_mail, parse_message
from mnemic.core.message.header_text import decode_phrase, decode_unstructured
from mnemic.core.message.parsing import parse_header

LINES = st.sampled_from(
    [b"From: a@b", b"Subject: =?utf-8?b?", b"To: (((", b"Content-Type: multipart/mixed; boundary=x",
     b"--x", b"--x--", b"", b"Content-Type: text/html; charset=nope", b"<b><div hidden>",
     b"Content-Transfer-Encoding: base64", b"\xff\xfe\x00", b"Date: Mon, 99 Foo 0000", b" folded",
     b"Content-Type: message/rfc822", b"Received: ; x", b"Content-Disposition: attachment; filename*=x'y'%zz"]
)  # fmt: skip


@given(st.one_of(st.binary(max_size=400), st.lists(LINES, max_size=30).map(b"\n".join)))
def test_never_raises(octets: bytes) -> None:
    message = parse_message(octets)
    assert message.octets == octets
    assert isinstance(message.body, str)
    _ = (message.addresses, message.subject, message.received, message.sent, message.attachments,
         message.notes, message.kind, message.priority, message.list_id, message.header("to"), message.message_id, message.html, message.plain_text)  # fmt: skip
    assert message.size >= len(octets)


ENDS = st.sampled_from(
    [b"\n", b"\r\n", b"\r", b"\n\n", b"\r\n\r\n", b"\r\r", b"\n\r\n", b" \n", b""]
)


@given(st.lists(st.tuples(st.one_of(LINES, st.binary(max_size=8)), ENDS), max_size=14))
def test_the_header_alone_reads_as_that_of_the_whole_message(lines: list[Any]) -> None:
    octets = b"".join(piece for line in lines for piece in line)
    whole, header = parse_message(octets), parse_header(octets)
    assert header.fields == whole.fields
    assert (header.sent, header.header("subject")) == (whole.sent, whole.header("subject"))


def test_deep_nesting_does_not_end_the_run() -> None:
    boundary = b"".join(
        b"Content-Type: multipart/mixed; boundary=b%d\n\n--b%d\n" % (n, n) for n in range(2000)
    )
    message = parse_message(b"From: a@x.example\nSubject: deep\n" + boundary + b"\nend")
    assert message.subject == "deep"
    assert any("nested" in note for note in message.notes)
    assert isinstance(message.body, str)


def test_what_is_wrong_with_the_mail_is_noted() -> None:
    broken = b"Subject: x\nContent-Type: multipart/mixed; boundary=b\n\n--b\nContent-Type: text/plain; charset=nope\n\nx\n"
    notes = " | ".join(parse_message(broken).notes)
    for said in ("close boundary", "unknown charset nope", "no From field"):
        assert said in notes
    assert parse_message(b"From: a@x.example\n\nhi").notes == ()


def test_size_is_with_crlf_line_ends() -> None:  # RFC 5228, section 5.9
    assert parse_message(b"A: b\n\nc\r\n").size == len(b"A: b\r\n\r\nc\r\n")


def test_the_date_of_receipt_is_the_topmost_readable_one() -> None:
    message = parse_message(
        b"Received: from x by y; nonsense\nReceived: by z; Mon, 4 May 2026 09:00:00 +0100\n"
        b"Received: by w; Mon, 4 May 2026 07:00:00 +0000\n\n"
    )
    assert message.received is not None
    assert message.received.isoformat() == "2026-05-04T08:00:00+00:00"


def test_encoded_words_in_comments() -> None:  # RFC 2047, section 8, its table
    table = {
        "=?ISO-8859-1?Q?a?=": "a",
        "=?ISO-8859-1?Q?a?= b": "a b",
        "=?ISO-8859-1?Q?a?= =?ISO-8859-1?Q?b?=": "ab",
        "=?ISO-8859-1?Q?a?=  =?ISO-8859-1?Q?b?=": "ab",
        "=?ISO-8859-1?Q?a?=\r\n    =?ISO-8859-1?Q?b?=": "ab",
        "=?ISO-8859-1?Q?a_b?=": "a b",
        "=?ISO-8859-1?Q?a?= =?ISO-8859-2?Q?_b?=": "a b",
    }
    assert {word: decode_unstructured(word) for word in table} == table
    assert {word: decode_phrase(word) for word in table} == table


def test_what_is_not_mail_is_told_from_broken_mail() -> None:
    assert looks_like_mail(b"garbage line\nSubject : broken but mail\n\n")
    assert not looks_like_mail(b"\x89PNG\r\n\x1a\n\0\0\0")
    assert not looks_like_mail(b"Dear all: nothing here is a header.\n\nFrom: below the first gap")


def test_long_fields_and_texts_take_no_more_than_their_length() -> None:
    """Each of these takes minutes where some step is quadratic."""
    flowed = b"Content-Type: text/plain; format=flowed\n\n" + b"word \n" * 400_000
    assert len(parse_message(flowed).body) == 5 * 400_000
    folded = parse_message(b"Subject: x\n" + b" y\n" * 200_000 + b"\nx")
    assert len(folded.subject or "") > 30_000
    assert "looked into as far as" in folded.notes[0]
    words = parse_message(b"Subject: " + b"=?utf-8?q?a?= " * 50_000 + b"\n\nx")
    assert (words.subject or "").startswith("a" * 9_000)
