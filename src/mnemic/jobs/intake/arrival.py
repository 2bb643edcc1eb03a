"""Mail comes in: it is kept, sent through the rules, and put where they say."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from itertools import islice
from typing import Any

from sqlmodel import Session

from mnemic.core import (
    Event,
    Given,
    MessageState,
    Outcome,
    ParsedMessage,
    compiled_line,
    parse_message,
    through_rules,
)
from mnemic.core.canonical import canonical_name
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.gathered_changes import Copying, copy_all
from mnemic.jobs.shared.rule_effects import RuleEffects, effects_of, trail_rows
from mnemic.jobs.shared.sending import Sender, send_outside
from mnemic.post import FileMessage
from mnemic.store import Database
from mnemic.store.journal.changes import SlotChange, record_changes
from mnemic.store.journal.runs import begin_run, count_in_run, join_run
from mnemic.store.journal.trail import add_rows
from mnemic.store.line.rules import StandingLine, StoredRule, standing_line
from mnemic.store.mail.folders import LOCAL, ensure_folder, folder_paths, folder_with_role
from mnemic.store.mail.labels import ensure_label, put_labels, take_labels
from mnemic.store.mail.messages import add_message, has_octets
from mnemic.store.owner.accounts import Account
from mnemic.store.server.connections import submits

__all__ = [
    "SORTED",
    "Arrival",
    "Coming",
    "ImportReport",
    "Intake",
    "Landed",
    "import_messages",
    "take_in",
]

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


#: What the history says of mail that rules sorted as it came in.
SORTED = "Sorted as it came in"

#: What no rules make of any message: it goes where mail of its event goes.
_UNSORTED = through_rules([], parse_message(b""), "hand")


@dataclass(frozen=True, slots=True)
class Landed:
    """Where mail of a connected account lies on its server, as what, and which labels it bears.

    Of mail that is only ``watched`` it is noted what rules would have done.
    """

    mailbox_id: int
    folder_id: int
    account: Account
    event: Event
    labels: tuple[str, ...] = ()
    watched: bool = False


def _set(session: Session, effects: RuleEffects, mailbox_id: int) -> dict[str, Any]:
    """The columns that rules set, the folder among them, which is made where it is missing."""
    values: dict[str, Any] = {slot: value for slot, value, _ in effects.slots}
    if effects.place is not None:
        values["folder_id"] = ensure_folder(session, effects.place[0], mailbox_id)
    return values


@dataclass(frozen=True, slots=True)
class Coming:
    """A message that comes in: to which account, as what, and its columns as without rules.

    The columns are what undoing rules brings it back to.
    """

    message: ParsedMessage
    account: Account | None
    event: Event
    unsorted: dict[str, Any]
    mailbox_id: int = LOCAL
    labels: tuple[str, ...] = ()

    @property
    def address(self) -> str | None:
        """The address of the account it came to."""
        return self.account.address if self.account else None


class Intake:
    """Takes messages in during one transaction; ``rules`` are the line as it stands by default."""

    def __init__(
        self,
        session: Session,
        now: datetime,
        rules: list[StoredRule] | None = None,
        *,
        runs: dict[tuple[str, date], int] | None = None,
    ) -> None:
        """What rules do stands in one run a day; with ``runs`` in these, begun where missing."""
        self._session = session
        self._line = standing_line(session) if rules is None else StandingLine(tuple(rules))
        self._circumstances = MailboxCircumstances(session, now)
        self._homes = folder_paths(session)  # special folders keep their paths
        self._now = int(now.timestamp())
        self._runs: dict[tuple[str, date], int] = {} if runs is None else runs
        self._begins_runs = runs is not None

    def take_in(
        self,
        message: ParsedMessage,
        *,
        received: datetime,
        seen: bool = False,
        flagged: bool = False,
        at: datetime | None = None,
        landed: Landed | None = None,
    ) -> Arrival:
        """Keep one message and sort it. What the owner sent goes through the rules for ``sent``.

        Mail that ``landed`` in a connected account's mailbox is what it is there.

        ``received`` is the time of its receipt, for every condition, now and later. ``at`` is when
        it came in, where that is not now.

        It goes one way: what it is, what the rules say, what is kept of it, what is done to it,
        and what is written down and sent of that.
        """
        coming = self._coming(message.received_at(received), landed, seen=seen, flagged=flagged)
        outcome = self._decide(coming, received)
        effects = None
        if outcome.taken_by:
            effects = effects_of(self._session, outcome.takers, self._line.ids, coming.event)
        moment = self._now if at is None else int(at.timestamp())
        watched = landed is not None and landed.watched
        message_id, values = self._keep(coming, None if watched else effects, received, moment)
        if effects is None:
            return Arrival(message_id, ())
        if watched:
            self._foresee(trail_rows(message_id, outcome, effects, coming.event, moment))
            return Arrival(message_id, ())
        self._sort(message_id, effects, coming, values, moment)
        self._send(coming, outcome, message_id, moment)
        add_rows(self._session, trail_rows(message_id, outcome, effects, coming.event, moment))
        return Arrival(message_id, outcome.rules, outcome.notify)

    def _foresee(self, rows: Iterable[tuple[object, ...]]) -> None:
        """Note what rules would have done with mail that is only watched."""
        foreseen = ((*row[:3], "watched", *row[4:]) for row in rows)
        add_rows(self._session, foreseen, foreseen=True)

    def _coming(
        self, message: ParsedMessage, landed: Landed | None, *, seen: bool, flagged: bool
    ) -> Coming:
        if landed is not None:
            marks = {"folder_id": landed.folder_id, "seen": seen, "flagged": flagged}
            where = landed.mailbox_id, landed.labels
            return Coming(message, landed.account, landed.event, marks, *where)
        around = self._circumstances
        event: Event = "sent" if around.is_sent(message) else "arrival"
        home = folder_with_role(self._session, "sent" if event == "sent" else "inbox")
        unsorted = {"folder_id": home, "seen": seen or event == "sent", "flagged": flagged}
        return Coming(message, around.account_of(message), event, unsorted)

    def _decide(self, coming: Coming, received: datetime) -> Outcome:
        if not self._line.rules:
            return _UNSORTED
        line = compiled_line(self._line.rules, coming.event)
        return line.explain(coming.message, self._given(coming, received))

    def _given(self, coming: Coming, received: datetime) -> Given:
        columns = coming.unsorted
        state = MessageState(
            coming.address,
            self._path(columns["folder_id"]),
            labels=coming.labels,
            seen=bool(columns["seen"]),
            flagged=bool(columns["flagged"]),
        )
        return Given(state, self._circumstances.of(received))

    def _path(self, folder_id: int) -> str:
        known = self._homes.get(folder_id)
        return folder_paths(self._session)[folder_id] if known is None else known

    def _keep(
        self, coming: Coming, effects: RuleEffects | None, received: datetime, at: int
    ) -> tuple[int, dict[str, Any]]:
        """Keep it where it goes: its id, and its columns as rules want them."""
        columns = coming.unsorted
        if effects is not None:
            columns = {**columns, **_set(self._session, effects, coming.mailbox_id)}
        message_id = add_message(
            self._session,
            coming.message,
            received=received,
            account_id=coming.account.id if coming.account else None,
            mailbox_id=coming.mailbox_id,
            placed_at=at,  # old mail that comes in now has its full time in the trash
            **columns,
        )
        borne = [ensure_label(self._session, name) for name in coming.labels]
        put_labels(self._session, message_id, borne)
        return message_id, columns

    def _send(self, coming: Coming, outcome: Outcome, message_id: int, at: int) -> None:
        """Let what rules send outside wait or be kept, by the account the message came to."""
        mine = coming.account or self._circumstances.first_account
        if mine is not None:
            since = self._now if submits(self._session, mine.id) else None
            sender = Sender(mine.address, message_id, coming.message.octets, mine.id, since)
            send_outside(self._session, coming.message, outcome, sender, at)

    def _sort(
        self,
        message_id: int,
        effects: RuleEffects,
        coming: Coming,
        after: dict[str, Any],
        at: int,
    ) -> None:
        """Label and copy a message as rules say, and write down what they changed about it."""
        session, before = self._session, coming.unsorted
        owners: dict[str, int | None] = {slot: owner for slot, _, owner in effects.slots}
        owners["folder_id"] = effects.place[1] if effects.place else None
        changes = [
            SlotChange(slot, before.get(slot), value, owners[slot])
            for slot, value in after.items()
            if value != before.get(slot)
        ]
        changes += self._label(message_id, effects, coming.labels)
        copies: list[Copying] = [
            (message_id, ensure_folder(session, path, coming.mailbox_id), owner)
            for path, owner in effects.copies
        ]
        if not changes and not copies:
            return
        run_id = self._run_of_day(at)
        record_changes(session, run_id, message_id, changes)
        copied = copy_all(session, run_id, copies, at=at)
        count_in_run(session, run_id, bool(changes) + copied)

    def _label(
        self, message_id: int, effects: RuleEffects, borne_there: Iterable[str]
    ) -> list[SlotChange]:
        """Put labels on a message and take them off it as rules say; what changed so."""
        session, borne = self._session, set(map(canonical_name, borne_there))
        put_on, taken_off = [], []
        for name, put, owner in effects.labels:
            if put == (canonical_name(name) in borne):
                continue
            label = ensure_label(session, name)
            if put:
                put_on.append(SlotChange("label", None, label, owner))
            else:
                taken_off.append(SlotChange("label", label, None, owner))
        put_labels(session, message_id, [label.after for label in put_on])
        take_labels(session, message_id, [label.before for label in taken_off])
        return [*put_on, *taken_off]

    def _run_of_day(self, at: int, saying: str = SORTED) -> int:
        """The run that arrivals of the owner's day stand in."""
        day = datetime.fromtimestamp(at, UTC).astimezone(self._circumstances.zone).date()
        key = saying, day
        if key not in self._runs and self._begins_runs:
            self._runs[key] = begin_run(self._session, at=at, actor="rules", saying=saying)
        elif key not in self._runs:
            first, last = (
                int(datetime.combine(begins, time(), self._circumstances.zone).timestamp())
                for begins in (day, day + timedelta(days=1))
            )
            self._runs[key] = join_run(self._session, saying, at=at, since=first, until=last)
        return self._runs[key]


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
    for mail in batch:
        if has_octets(session, mail.octets):
            doubles += 1
            continue
        message = parse_message(mail.octets, file_time=mail.file_time)
        received = message.received or mail.file_time
        arrival = intake.take_in(message, received=received, seen=mail.seen, flagged=mail.flagged)
        taken_in += 1
        by_rules += bool(arrival.rules)
    return ImportReport(taken_in, doubles, by_rules)
