"""Messages: odd octets put together, and hostile shapes and demo mail bent out of shape."""

import time
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

from benchmarks.hostile_mail import SHAPES
from hypothesis import given
from hypothesis import strategies as st

from mnemic.api.safe_html import safe_html
from mnemic.core import (
    Circumstances,
    CompiledRules,
    ParsedMessage,
    parse_message,
    read_rule,
    through_rules,
)
from mnemic.core.facts import facts_of
from mnemic.core.message.mime_parts import payload_octets
from mnemic.demo import generate
from mnemic.jobs.intake.arrival import take_in
from mnemic.store import Database
from mnemic.store.mail.message_views import stored_messages

__all__ = ["any_mail", "messages_are_read", "stored_equals_parsed"]

_PIECES = [
    b"\xff", b"\xc3\xa9", b"\xf0\x9f\x91\x8d", b"\x00", b"\x1b$B", b"(", b")", b'"', b"\\", b";", b"=", b"\r", b"\n", b"\r\n", b"\r\n\r\n",
    b"\r\n ", b"--b\r\n", b"--b--", b"=?utf-8?q?=C3=A9?=", b"=?x\x00?b?/w==?=", b"=?raw_unicode_escape?q?=5Cud800?=", b"name*0*=utf-8'x'%ff",
    b"From: ", b"To: ", b"Subject: ", b"Date: ", b"Received: ", b"Content-Type: ", b"Content-Disposition: attachment; filename=", b"List-Id: <",
    b"multipart/mixed; boundary=b", b"message/rfc822", b"text/html; charset=", b"text/calendar; method=", b"utf-7", b"punycode", b"hz", b"undefined",
    b"Content-Transfer-Encoding: base64", b"quoted-printable", b"x-uuencode", b"begin 644 x\n", b"<div>", b"</b>", b"<table><a href=x>", b"<!--", b"<svg><title>",
    b"&#x110000;", b"&#99999999999;", b"\xcc\x81" * 40, b"\xef\xb7\xba", b"\xe2\x80\xae", b"a@b.example", b"<", b">", b",", b":", b"@", b"Fri, 31 Dec 9999 23:59:59 -9999",
]  # fmt: skip
_DEMO = [letter.octets for letter in generate(datetime(2026, 5, 4, 9, tzinfo=UTC))[:200]]


def _bent(octets: bytes, cuts: list[tuple[int, bytes]]) -> bytes:
    for at, piece in cuts:
        place = at % (len(octets) + 1)
        octets = octets[:place] + piece + octets[place + len(piece) // 2 :]
    return octets


_odd = st.lists(st.sampled_from(_PIECES) | st.binary(max_size=8), max_size=40).map(b"".join)
_cuts = st.lists(st.tuples(st.integers(0, 100_000), st.sampled_from(_PIECES)), max_size=6)
_shapes = st.builds(lambda name, size: SHAPES[name](size), st.sampled_from(list(SHAPES)), st.integers(0, 3_000))  # fmt: skip
any_mail = _odd | st.builds(_bent, st.sampled_from(_DEMO) | _shapes, _cuts)

RULES = [
    read_rule({"name": f"{field} {test}", "when": {"field": field, "test": test, "values": values, **more}, "then": [{"do": "flag"}]})
    for field, more in (("attachment_type", {}), ("attachment", {}), ("subject", {}), ("body", {}), ("from", {"part": "any"}), ("from", {"part": "domain"}), ("recipient", {}), ("list", {}), ("header", {"name": "Received"}), ("header", {"name": "Content-Type"}))
    for test, values in (("ends", ["?", "ÿ"]), ("contains", ["a", "\ufffd"]), ("is", ["a@b.example", "é"]), ("regex", ["[^a]a?$"]), ("wildcard", ["*?"]))
]  # fmt: skip
_COMPILED = CompiledRules(RULES)

#: Seconds of the processor that a message of some kilobytes may cost.
_LONGEST = 1.0


def _everything(message: ParsedMessage) -> list[str | None]:
    people = [
        t
        for a in message.addresses.values()
        for address in a
        for t in (address.name, address.address)
    ]
    files = [
        t for attachment in message.attachments for t in (attachment.name, attachment.media_type)
    ]
    fields = [t for name in message.fields for t in message.header(name)]
    safe = safe_html(message)
    for leaf in message.leaves:
        payload_octets(leaf.part)
    facts = [fact.text for fact in facts_of(message, Circumstances())]
    _ = message.received, message.sent, message.priority, message.size
    return [
        message.subject, message.body, message.list_id, message.message_id, message.kind.reason,
        message.plain_text, safe.page if safe else None, *message.notes, *people, *files, *fields, *facts,
    ]  # fmt: skip


def messages_are_read(counted: Callable[[], None]) -> Callable[[], None]:
    """Parsing never raises, makes texts that UTF-8 holds, and plain rules equal compiled ones."""

    @given(any_mail)
    def check(octets: bytes) -> None:
        counted()
        begun = time.process_time()
        message = parse_message(octets)
        for text in _everything(message):
            (text or "").encode()  # raises where half of a character is left
        plain = through_rules(RULES, parse_message(octets))
        assert _COMPILED.decide(message).taken_by == plain.taken_by
        assert message.octets == octets
        assert time.process_time() - begun < _LONGEST

    return check


def stored_equals_parsed(
    counted: Callable[[], None], database: Database, client: Any
) -> Callable[[], None]:
    """What the mailbox tells of a message is what was read from it, and it can be opened."""

    @given(any_mail)
    def check(octets: bytes) -> None:
        counted()
        message_id = _compare(database, parse_message(octets))
        for path in (f"/api/messages/{message_id}", f"/api/messages/{message_id}/html"):
            assert client.get(path, headers={"Host": "localhost"}).status_code in (200, 404)

    return check


def _compare(database: Database, message: ParsedMessage) -> int:
    with database.writing() as session:
        taken = take_in(session, message, received=datetime.now(UTC), rules=[])
    with database.reading() as session:
        (stored,) = stored_messages(session, iter([taken.message_id]))
        assert stored.parsed.octets == message.octets
        for name in (
            "subject",
            "body",
            "attachments",
            "list_id",
            "priority",
            "kind",
            "size",
            "sent",
        ):
            assert getattr(stored, name) == getattr(message, name), name
        for header, addresses in message.addresses.items():
            assert stored.addresses.get(header, ()) == addresses, header
        plain = through_rules(RULES, stored).taken_by
        assert plain == through_rules(RULES, message).taken_by
    return taken.message_id
