"""Mail comes in: it is kept, sent through the rules, and put where they say."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from itertools import islice

from sqlmodel import Session

from mnemic.core import Circumstances, Given, ParsedMessage, parse_message, through_rules
from mnemic.jobs.placing import Run, destination, label, write_trail
from mnemic.post import FileMessage
from mnemic.store import Database
from mnemic.store.folders import inbox_id
from mnemic.store.mailbox import add_message, has_octets
from mnemic.store.rules import StoredRule, list_rules

__all__ = ["Arrival", "ImportReport", "import_messages", "take_in"]

#: Messages of an import in one transaction: few enough that other writers get their turn.
_BATCH = 500


@dataclass(frozen=True, slots=True)
class Arrival:
    """A message that came in, and the names of the rules that took it."""

    message_id: int
    rules: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class ImportReport:
    """How many messages an import took in, and how many were in the mailbox before."""

    taken_in: int
    doubles: int


def take_in(
    session: Session,
    message: ParsedMessage,
    *,
    received: datetime,
    seen: bool = False,
    rules: list[StoredRule] | None = None,
) -> Arrival:
    """Keep one message and sort it by ``rules`` (default: the line as it stands)."""
    if rules is None:
        rules = list_rules(session)
    given = Given(circumstances=Circumstances(now=received))
    outcome = through_rules([each.rule for each in rules], message, "arrival", given)
    folder_id = destination(session, outcome) or inbox_id(session)
    message_id = add_message(session, message, received=received, folder_id=folder_id, seen=seen)
    label(session, message_id, outcome)
    ids = {position: each.id for position, each in enumerate(rules)}
    write_trail(session, message_id, outcome, Run("arrival", int(received.timestamp()), ids))
    return Arrival(message_id, outcome.rules)


def import_messages(
    database: Database, messages: Iterable[FileMessage], *, sort: bool = True
) -> ImportReport:
    """Take messages from files in, each set of octets once.

    They pass through the rules like any mail that arrives, unless ``sort`` is False. The time of
    receipt is that of the topmost Received field, else Date, else the file's time.
    """
    taken_in = doubles = 0
    remaining = iter(messages)
    while batch := list(islice(remaining, _BATCH)):
        with database.writing() as session:
            rules = list_rules(session) if sort else []
            for each in batch:
                if has_octets(session, each.octets):
                    doubles += 1
                    continue
                message = parse_message(each.octets)
                received = message.received or message.sent or each.file_time
                take_in(session, message, received=received, seen=each.seen, rules=rules)
                taken_in += 1
    return ImportReport(taken_in, doubles)
