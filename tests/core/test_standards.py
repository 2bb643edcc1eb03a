"""To the letter: worked examples and rules of RFC 5322, 2045, 2047, 2231 and 3834, by section.

The texts were not at hand: the examples are from memory, with the section beside each.
"""

from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mnemic.core import CompiledRules, ParsedMessage, parse_message, read_rule, through_rules
from mnemic.core.message.structured import keyword, parameter, without_comments


def parsed(head: str, body: bytes = b"") -> ParsedMessage:
    return parse_message(head.replace("\n", "\r\n").encode("latin-1") + b"\r\n\r\n" + body)


#: RFC 5322, Appendix A: the fields as they stand there, and whom they name.
APPENDIX_A: list[tuple[str, str, dict[str, list[tuple[str, str]]]]] = [
    ("A.1.1", "From: John Doe <jdoe@machine.example>\nSender: Michael Jones <mjones@machine.example>\nTo: Mary Smith <mary@example.net>",
     {"from": [("John Doe", "jdoe@machine.example")], "sender": [("Michael Jones", "mjones@machine.example")], "to": [("Mary Smith", "mary@example.net")]}),
    ("A.1.2", 'From: "Joe Q. Public" <john.q.public@example.com>\nTo: Mary Smith <mary@x.test>, jdoe@example.org, Who? <one@y.test>\nCc: <boss@nil.test>, "Giant; \\"Big\\" Box" <sysservices@example.net>',
     {"from": [("Joe Q. Public", "john.q.public@example.com")], "to": [("Mary Smith", "mary@x.test"), ("", "jdoe@example.org"), ("Who?", "one@y.test")],
      "cc": [("", "boss@nil.test"), ('Giant; "Big" Box', "sysservices@example.net")]}),
    ("A.1.3", "From: Pete <pete@silly.example>\nTo: A Group:Ed Jones <c@a.test>,joe@where.test,John <jdoe@one.test>;\nCc: Undisclosed recipients:;",
     {"to": [("Ed Jones", "c@a.test"), ("", "joe@where.test"), ("John", "jdoe@one.test")], "cc": []}),
    ("A.2", 'From: Mary Smith <mary@example.net>\nTo: John Doe <jdoe@machine.example>\nReply-To: "Mary Smith: Personal Account" <smith@home.example>\nSubject: Re: Saying Hello\nIn-Reply-To: <1234@local.machine.example>',
     {"from": [("Mary Smith", "mary@example.net")], "to": [("John Doe", "jdoe@machine.example")], "reply_to": [("Mary Smith: Personal Account", "smith@home.example")]}),
    ("A.3", "Resent-From: Mary Smith <mary@example.net>\nResent-To: Jane Brown <j-brown@other.example>\nFrom: John Doe <jdoe@machine.example>\nTo: Mary Smith <mary@example.net>",
     {"from": [("John Doe", "jdoe@machine.example")], "to": [("Mary Smith", "mary@example.net")]}),
    ("A.4", "Received: from x.y.test\n  by example.net\n  via TCP\n  with ESMTP\n  id ABC12345\n  for <mary@example.net>;  21 Nov 1997 10:05:43 -0600\nReceived: from node.example by x.y.test; 21 Nov 1997 10:01:22 -0600\nFrom: John Doe <jdoe@node.example>\nTo: Mary Smith <mary@example.net>",
     {"from": [("John Doe", "jdoe@node.example")], "to": [("Mary Smith", "mary@example.net")]}),
    ("A.5", "From: Pete(A nice \\) chap) <pete(his account)@silly.test(his host)>\nTo:A Group(Some people)\n     :Chris Jones <c@(Chris's host.)public.example>,\n         joe@example.org,\n  John <jdoe@one.test> (my dear friend); (the end of the group)\nCc:(Empty list)(start)Hidden recipients  :(nobody(that I know))  ;",
     {"from": [("Pete", "pete@silly.test")], "to": [("Chris Jones", "c@public.example"), ("", "joe@example.org"), ("John", "jdoe@one.test")], "cc": []}),
    ("A.6.1", "From: Joe Q. Public <john.q.public@example.com>\nTo: Mary Smith <@node.test:mary@example.net>, , jdoe@test  . example",
     {"from": [("Joe Q. Public", "john.q.public@example.com")], "to": [("Mary Smith", "mary@example.net"), ("", "jdoe@test.example")]}),
    ("A.6.3", "From  : John Doe <jdoe@machine(comment).  example>\nTo    : Mary Smith\n  \n          <mary@example.net>\nSubject     : Saying Hello",
     {"from": [("John Doe", "jdoe@machine.example")], "to": [("Mary Smith", "mary@example.net")]}),
]  # fmt: skip


@pytest.mark.parametrize(("head", "named"), [e[1:] for e in APPENDIX_A], ids=[e[0] for e in APPENDIX_A])  # fmt: skip
def test_the_appendix_of_rfc_5322(head: str, named: dict[str, list[tuple[str, str]]]) -> None:
    message = parsed(head)
    for header, people in named.items():
        addresses = message.addresses[header]  # type: ignore[index] # one of its keys
        assert [(address.name, address.address) for address in addresses] == people


def test_white_space_before_the_colon_of_a_part_s_field() -> None:  # RFC 5322, 4.5; RFC 2045, 3
    head = "MIME-Version : 1.0\nContent-Type : multipart/mixed; boundary=b"
    part = b"--b\r\nContent-Type : text/html\r\nContent-Transfer-Encoding  : base64\r\n\r\nPGI+aGk8L2I+\r\n--b--"
    assert parsed(head, part).body == "hi"
    written = b"-- \r\nTel : 12\r\nContent-Type : what it is\r\n"  # no part, but a signature
    assert parsed("Subject: x", written).body == written.decode().replace("Type :", "Type:")


#: RFC 2047, section 8: what is written, and what is shown.
ENCODED_WORDS = [
    ("From: =?US-ASCII?Q?Keith_Moore?= <moore@cs.example>", "Keith Moore"),
    ("From: =?ISO-8859-1?Q?Keld_J=F8rn_Simonsen?= <keld@dkuug.example>", "Keld Jørn Simonsen"),
    ("From: =?ISO-8859-1?Q?Andr=E9?= Pirard <PIRARD@vm1.example>", "André Pirard"),
    ("From: x@y.example (=?ISO-8859-1?Q?a?=)", "a"),
    ("From: x@y.example (=?ISO-8859-1?Q?a?= b)", "a b"),
    ("From: x@y.example (=?ISO-8859-1?Q?a?= =?ISO-8859-1?Q?b?=)", "ab"),
    ("From: x@y.example (=?ISO-8859-1?Q?a?=  =?ISO-8859-1?Q?b?=)", "ab"),
    ("From: x@y.example (=?ISO-8859-1?Q?a?=\n    =?ISO-8859-1?Q?b?=)", "ab"),
    ("From: x@y.example (=?ISO-8859-1?Q?a_b?=)", "a b"),
    ("From: x@y.example (=?ISO-8859-1?Q?a?= =?ISO-8859-2?Q?_b?=)", "a b"),
    ("Subject: =?ISO-8859-1?B?SWYgeW91IGNhbiByZWFkIHRoaXMgeW8=?=\n =?ISO-8859-2?B?dSB1bmRlcnN0YW5kIHRoZSBleGFtcGxlLg==?=", "If you can read this you understand the example."),
    ("Subject: x=?utf-8?q?a?=", "x=?utf-8?q?a?="),  # section 5 (1): white space separates it
    ("Subject: =?utf-8?q?a?= x =?utf-8?q?b?=", "a x b"),  # section 6.2: what stands between stays
    ("Subject: =?utf-8?q?a b?=", "=?utf-8?q?a b?="),  # section 2: no white space inside
    ("Subject: =?utf-8?x?a?=", "=?utf-8?x?a?="),  # section 4: another encoding
    ("Subject: =?utf-8?Q?=5F_=3D=3F?=", "_ =?"),  # section 4.2
    ("Subject: =?utf-8*en?q?a?=", "a"),  # RFC 2231, section 5
    ("Subject: =?utf-8?b?w6?= =?utf-8?b?k=?=", "=?utf-8?b?w6?= =?utf-8?b?k=?="),  # 6.3: what can't be decoded
]  # fmt: skip


@pytest.mark.parametrize(("field", "shown"), ENCODED_WORDS)
def test_encoded_words(field: str, shown: str) -> None:
    message = parsed(field)
    decoded = message.addresses["from"][0].name if field.startswith("From") else message.subject
    assert decoded == shown


@pytest.mark.parametrize(
    ("field", "moment"),
    [
        ("Date: Fri, 21 Nov 1997 09:55:06 -0600", "1997-11-21T15:55:06"),  # A.1.1
        ("Date: Thu,\n      13\n        Feb\n          1969\n      23:32\n               -0330 (Newfoundland Time)", "1969-02-14T03:02:00"),  # A.5
        ("Date: 21 Nov 97 09:55:06 GMT", "1997-11-21T09:55:06"),  # A.6.2
        ("Date  : Fri, 21 Nov 1997 09(comment):   55  :  06 -0600", "1997-11-21T15:55:06"),  # A.6.3
        ("Date: Mon (a; b), 4 May 2026 09:00 EDT", "2026-05-04T13:00:00"),  # 3.2.2, 4.3
    ],
)  # fmt: skip
def test_dates_with_obsolete_forms_and_comments(field: str, moment: str) -> None:
    assert parsed(field).sent == datetime.fromisoformat(f"{moment}+00:00")


@pytest.mark.parametrize(
    "value",
    [
        "from a (b; c) by x (d;e); Mon, 4 May 2026 09:00:00 +0000",  # RFC 5322, 3.6.7 and 3.2.2
        "by x; Mon, 4 May 2026 09:00:00 +0000 (a; b)",
        "by x;\n\tMon, 4 May 2026 (x) 09:00:00 (y;(z)) +0000",
        "from x.y.test\n  by example.net\n  via TCP\n  with ESMTP\n  id ABC12345\n  for <mary@example.net>;  4 May 2026 03:00:00 -0600",  # A.4
    ],
)
def test_comments_of_received_may_hold_semicolons(value: str) -> None:
    assert parsed(f"Received: {value}").received == datetime(2026, 5, 4, 9, tzinfo=UTC)


#: RFC 2045, section 6.7: what is transmitted, and what it stands for; the rule beside it.
QUOTED_PRINTABLE = [
    (b"=3D=3d", b"==", "rule 1; lower case is meant so, too"),
    (b"a=20\t \r\nb", b"a \r\nb", "rule 3: what stands at the end was put there on the way"),
    (b"tail  ", b"tail", "rule 3, at the very end"),
    (b"in  side\r\n", b"in  side\r\n", "rule 3: white space inside stays"),
    (b"soft=\r\nline", b"softline", "rule 5"),
    (b"soft= \t\r\nline", b"softline", "rules 3 and 5"),
    (b"soft=\nline", b"softline", "rule 5, with bare line ends"),
    (b"=ZZ", b"=ZZ", "what is no octet stays as it stands"),
    (b"end=", b"end", "a soft break at the end"),
]  # fmt: skip
#: Section 6.8: what is none of its 64 letters counts for nothing.
BASE64 = [
    (b"aGVs\r\nbG8=\r\n", b"hello", "lines"),
    (b"aGVs!bG8=", b"hello", "other letters"),
    (b"aGVsbG8", b"hello", "padding that is missing"),
    (b"aGVsbG8=Z29uZQ==", b"hello", "padding ends it"),
]


@pytest.mark.parametrize(
    ("encoding", "sent", "meant"),
    [("quoted-printable", *e[:2]) for e in QUOTED_PRINTABLE] + [("base64", *e[:2]) for e in BASE64],
    ids=[case[2] for case in [*QUOTED_PRINTABLE, *BASE64]],
)
def test_transfer_encodings(encoding: str, sent: bytes, meant: bytes) -> None:
    for written in (encoding, f"{encoding.upper()} (c; d)"):  # 6.1: in any case; RFC 5322, 3.2.2
        head = f"Content-Type: text/plain\nContent-Transfer-Encoding: {written}"
        assert parsed(head, sent).body == meant.decode()


#: RFC 2045, section 5.1, with comments, and RFC 2231, sections 3, 4 and 4.1.
PARAMETERS = [
    ("text/plain; charset=us-ascii (Plain text)", "charset", "us-ascii"),
    ('text/plain; charset="us-ascii"', "charset", "us-ascii"),
    ("text/plain (a; charset=x); charset (y) = (z) us-ascii (w)", "charset", "us-ascii"),
    ('x/y; name="a; (no comment) \\"b\\""', "name", 'a; (no comment) "b"'),
    ("message/external-body; access-type=URL;\r\n URL*0=\"ftp://\";\r\n URL*1=\"cs.utk.edu/pub\"", "url", "ftp://cs.utk.edu/pub"),
    ("application/x-stuff; title*=us-ascii'en-us'This%20is%20%2A%2A%2Afun%2A%2A%2A", "title", "This is ***fun***"),
    ("application/x-stuff;\r\n title*0*=us-ascii'en'This%20is%20even%20more%20;\r\n title*1*=%2A%2A%2Afun%2A%2A%2A%20;\r\n title*2=\"isn't it!\"", "title", "This is even more ***fun*** isn't it!"),
    ("x/y; name*1*=b; name*0*=utf-8''%c3%a9", "name", "éb"),  # in any order
    ("x/y; name*0=a; name*2=c", "name", "a"),  # as far as they follow each other
    ("x/y; name=plain; name*=utf-8''%e2%82%ac", "name", "€"),
    ("x/y; name*0=a; name=plain", "name", "a"),
    ("x/y; name*99999999999999999999=a; name=plain", "name", "plain"),
    ("x/y; name*=punycode''a%FF.pdf", "name", "aÿ.pdf"),
    ("x/y; other=1", "name", ""),
]  # fmt: skip


@pytest.mark.parametrize(("field", "name", "value"), PARAMETERS)
def test_parameters_with_comments_quotes_and_pieces(field: str, name: str, value: str) -> None:
    assert parameter(field, name) == value
    head = field.partition(";")[0].partition("(")[0].strip()
    assert keyword(field) == head


def test_a_comment_in_a_disposition_names_no_file() -> None:
    head = "Content-Type: application/pdf\nContent-Disposition: attachment (c; filename=evil.txt); filename=x.pdf"
    assert [attachment.name for attachment in parsed(head).attachments] == ["x.pdf"]


@pytest.mark.parametrize(
    ("fields", "kind"),
    [
        ("Auto-Submitted: no", "personal"),  # RFC 3834, section 5
        ("Auto-Submitted: NO (really)\nFrom: no-reply@x.example", "personal"),
        ("Auto-Submitted: no\nX-Autoreply: yes", "personal"),
        ("Auto-Submitted: no\nList-Id: <a.b>", "newsletter"),
        ("Auto-Submitted: (c; d) auto-replied; owner-email=a@x.example", "auto_reply"),
        ("Auto-Submitted: auto-generated (x(y))", "notification"),
        ("From: no-reply@x.example", "notification"),
    ],
)
def test_who_says_that_no_machine_wrote_it_is_believed(fields: str, kind: str) -> None:
    assert parsed(fields).kind.name == kind


#: Octets that parsers stumble over, as pieces of header values.
ODD = st.sampled_from([
    b"\xff", b"\xc3\xa9", b"\x00", b"(", b")", b"((", b'"', b"\\", b";", b"=", b"a", b"name=", b"*0*=", b"*=", b"*9=",
    b"=?utf-8?q?=C3=A9?=", b"=?raw_unicode_escape?q?=5Cud800?=", b"=?utf-7?q?+2AA-?=", b"=?x\x00y?b?/w==?=", b"punycode''a%FF",
    b"application/", b"text/html", b"charset=", b"undefined", b"<", b">", b"@", b",", b":", b" ", b"\r\n\t", b"boundary=b",
])  # fmt: skip
FIELDS = st.sampled_from([b"Content-Type", b"Content-Disposition", b"From", b"To", b"Subject", b"List-Id", b"Received", b"Auto-Submitted", b"X-Tag", b"Date"])  # fmt: skip
odd_mail = st.lists(st.tuples(FIELDS, st.lists(ODD, max_size=7).map(b"".join)), max_size=6).map(
    lambda fields: b"".join(b"%s: %s\r\n" % field for field in fields) + b"\r\n\xff=\r\n\x00body"
)

RULES = [
    read_rule({"name": f"{field} {test}", "when": {"field": field, "test": test, "values": values, **more}, "then": [{"do": "flag"}]})
    for field, more in (("attachment_type", {}), ("attachment", {}), ("subject", {}), ("from", {"part": "any"}), ("list", {}), ("header", {"name": "X-Tag"}), ("header", {"name": "Content-Type"}))
    for test, values in (("ends", ["?", "ÿ"]), ("contains", ["a", "\ufffd"]), ("regex", ["[^a]a?$"]), ("wildcard", ["*?"]))
]  # fmt: skip


def _texts(message: ParsedMessage) -> list[Any]:
    people = [
        text
        for addresses in message.addresses.values()
        for address in addresses
        for text in (address.name, address.address)
    ]
    return [
        message.subject, message.body, message.list_id, message.kind.reason, message.message_id, *message.notes,
        *people, *(text for attachment in message.attachments for text in (attachment.name, attachment.media_type)),
        *message.header("x-tag"), *message.header("content-type"),
    ]  # fmt: skip


@settings(max_examples=400, deadline=None)
@given(odd_mail)
def test_odd_octets_are_read_alike_by_both_and_make_texts_that_utf_8_can_hold(
    octets: bytes,
) -> None:
    message = parse_message(octets)
    for text in _texts(message):
        (text or "").encode()  # raises where a half character is left
    assert (message.received, message.sent, message.priority) is not None
    plain = through_rules(RULES, message)
    assert CompiledRules(RULES).decide(parse_message(octets)).taken_by == plain.taken_by


@settings(max_examples=200, deadline=None)
@given(st.text(st.sampled_from('ab()"\\; '), max_size=30))
def test_comments_go_and_nothing_else(value: str) -> None:
    bare = without_comments(value)
    assert without_comments(bare) == bare or '"' in value or "\\" in value
    assert len(bare) <= len(value)
    if "(" not in value:
        assert bare == value
