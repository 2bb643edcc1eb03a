"""What an older Mnemic did not keep is read from the octets, and kept once somebody has looked."""

import threading
from datetime import UTC, datetime
from email.message import EmailMessage

from mnemic.core import parse_message, read_rule
from mnemic.jobs import rehearse, take_in
from mnemic.jobs.intake.older_mail import bring_over
from mnemic.store import Database
from mnemic.store.engine.sql import execute
from mnemic.store.mail.attachment_types import types_unknown
from mnemic.store.search.content_masks import ContentMasks

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
#: By condition, the messages that it takes of those with no, one and two attachments.
ASKED = [
    ("is", "application/pdf", 2), ("begins", "text/", 1), ("contains", "csv", 1), ("is", "TEXT/CSV", 1), ("is", "image/png", 0),
]  # fmt: skip


def with_attachments(*types: str) -> bytes:
    message = EmailMessage()
    message["From"] = "ann@x.example"
    message.set_content("hi")
    for media_type in types:
        main, _, sub = media_type.partition("/")
        message.add_attachment(b"x", maintype=main, subtype=sub, filename="a")
    return bytes(message)


def taken(database: Database) -> list[int]:
    counts = []
    with database.reading() as session:
        session.shared.of(ContentMasks).forget()  # what was asked before is asked again
        for test, value, _ in ASKED:
            when = {"field": "attachment_type", "test": test, "values": [value]}
            rule = read_rule({"name": "r", "when": when, "then": [{"do": "flag"}]})
            counts.append(rehearse(session, rule, now=NOW).takes)
    return counts


def test_types_of_attachments_are_noted_while_mnemic_runs(database: Database) -> None:
    with database.writing() as session:
        for types in ((), ("application/pdf",), ("text/csv", "application/pdf")):
            take_in(session, parse_message(with_attachments(*types)), received=NOW)
    wanted = [count for _, _, count in ASKED]
    assert taken(database) == wanted
    with database.writing() as session:
        execute(session, "UPDATE message SET attachment_types = NULL")
        assert types_unknown(session)
    assert taken(database) == wanted
    bring_over(database, threading.Event())
    with database.reading() as session:
        assert not types_unknown(session)
    assert taken(database) == wanted
