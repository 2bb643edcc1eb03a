"""Mail comes in: it is kept, sent through the rules, and put where they say."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime
from itertools import islice

from sqlmodel import Session

from mnemic.core import Event, Given, MessageState, ParsedMessage, parse_message, through_rules
from mnemic.jobs.circumstances import MailboxCircumstances
from mnemic.jobs.placing import Run, Sender, destination, send_outside, slot_values, write_trail
from mnemic.post import FileMessage
from mnemic.store import Database
from mnemic.store.folders import ensure_folder, folder_with_role
from mnemic.store.labels import ensure_label, put_labels
from mnemic.store.mailbox import add_message, copy_message, has_octets
from mnemic.store.rules import StoredRule, list_rules

__all__ = ["Arrival", "ImportReport", "Intake", "import_messages", "take_in"]

#: Messages of an import in one transaction: few enough that other writers get their turn.
_BATCH = 1_000


@dataclass(frozen=True, slots=True)
class Arrival:
    """A message that came in, the names of the rules that took it, and the sounds they ask for."""

    message_id: int
    rules: tuple[str, ...]
    sounds: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class ImportReport:
    """How many messages an import took in and how many were here; of the new, what rules took."""

    taken_in: int
    doubles: int
    sorted: int = 0


#: What no rules make of any message: it goes where mail of its event goes.
_UNSORTED = through_rules([], parse_message(b""), "hand")


class Intake:
    """Takes messages in during one transaction; ``rules`` are the line as it stands by default."""

    def __init__(
        self, session: Session, now: datetime, rules: list[StoredRule] | None = None
    ) -> None:
        self._session = session
        stored = list_rules(session) if rules is None else rules
        self._rules = [each.rule for each in stored]
        self._ids = {position: each.id for position, each in enumerate(stored)}
        self._circumstances = MailboxCircumstances(session, now)
        self._now = int(now.timestamp())

    def take_in(
        self,
        message: ParsedMessage,
        *,
        received: datetime,
        seen: bool = False,
        flagged: bool = False,
        at: datetime | None = None,
    ) -> Arrival:
        """Keep one message and sort it. What the owner sent goes through the rules for ``sent``.

        ``at`` is when that happened, where it is not now.
        """
        session, around = self._session, self._circumstances
        moment = self._now if at is None else int(at.timestamp())
        account = around.account_of(message)
        event: Event = "sent" if around.is_sent(message) else "arrival"
        state = MessageState(account.address if account else None, seen=seen, flagged=flagged)
        if self._rules:
            given = Given(state, around.of(received))
            outcome = through_rules(self._rules, message, event, given)
        else:
            outcome = _UNSORTED
        home = folder_with_role(session, "sent" if event == "sent" else "inbox")
        values = {"seen": seen or event == "sent", "flagged": flagged, **slot_values(outcome)}
        message_id = add_message(
            session,
            message,
            received=received,
            folder_id=destination(session, outcome) or home,
            account_id=account.id if account else None,
            placed_at=moment,  # old mail that comes in now has its full time in the trash
            **values,
        )
        if not outcome.taken_by:
            return Arrival(message_id, ())
        put_labels(session, message_id, [ensure_label(session, name) for name in outcome.labels])
        for path in outcome.copies:
            copy_message(session, message_id, folder_id=ensure_folder(session, path), at=moment)
        address = account.address if account else around.address
        if address is not None:
            sender = Sender(address, message_id, message.octets)
            send_outside(session, message, outcome, sender, moment)
        write_trail(session, message_id, outcome, Run(event, moment, self._ids))
        return Arrival(message_id, outcome.rules, outcome.notify)


def take_in(
    session: Session,
    message: ParsedMessage,
    *,
    received: datetime,
    seen: bool = False,
    rules: list[StoredRule] | None = None,
) -> Arrival:
    """Keep one message and sort it by ``rules`` (default: the line as it stands)."""
    return Intake(session, received, rules).take_in(message, received=received, seen=seen)


def import_messages(
    database: Database,
    messages: Iterable[FileMessage],
    *,
    now: datetime,
    sort: bool = True,
    progress: Callable[[ImportReport], None] | None = None,
) -> ImportReport:
    """Take messages from files in, each set of octets once.

    They pass through the rules like any mail that arrives, unless ``sort`` is False. The time of
    receipt is that of the topmost Received field, else Date, else the file's time. ``progress``
    is told after each transaction.
    """
    report = ImportReport(0, 0)
    remaining = iter(messages)
    while batch := list(islice(remaining, _BATCH)):
        with database.writing() as session:
            done = _import_batch(session, batch, now, sort=sort)
        report = ImportReport(
            report.taken_in + done.taken_in,
            report.doubles + done.doubles,
            report.sorted + done.sorted,
        )
        if progress is not None:
            progress(report)
    return report


def _import_batch(
    session: Session, batch: list[FileMessage], now: datetime, *, sort: bool
) -> ImportReport:
    """Take in what is new of one transaction's messages."""
    taken_in = doubles = by_rules = 0
    intake = Intake(session, now, None if sort else [])
    for each in batch:
        if has_octets(session, each.octets):
            doubles += 1
            continue
        message = parse_message(each.octets)
        received = message.received or message.sent or each.file_time
        arrival = intake.take_in(message, received=received, seen=each.seen, flagged=each.flagged)
        taken_in += 1
        by_rules += bool(arrival.rules)
    return ImportReport(taken_in, doubles, by_rules)
