"""Rehearsal: what a rule would do with mail already here, before anything happens."""

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlmodel import Session

from mnemic.core import Circumstances, CompiledRules, Given, Rule, take
from mnemic.core.actions import (
    Action,
    ColourAction,
    CopyAction,
    FileAction,
    LabelAction,
    MarkAction,
    PlaceAction,
    PriorityAction,
    UnlabelAction,
)
from mnemic.core.canonical import canonical_address
from mnemic.core.matching import TestTrail
from mnemic.core.nearly import missing
from mnemic.core.outcome import RuleTrail
from mnemic.core.risks import short_phrases
from mnemic.core.rules import AllGroup, AnyGroup
from mnemic.core.sentence import condition_saying
from mnemic.jobs.circumstances import MailboxCircumstances
from mnemic.jobs.excerpts import evidence_of
from mnemic.jobs.placing import ROLE_OF_ACTION
from mnemic.store.folders import folder_paths, folder_with_role
from mnemic.store.journal import fetch
from mnemic.store.labels import messages_with_label
from mnemic.store.mailbox import has_copy, message_ids
from mnemic.store.message_views import StoredMessage, stored_messages
from mnemic.store.rules import StoredRule
from mnemic.store.trail import EvidencePiece

__all__ = ["NearlyTaken", "Rehearsal", "RehearsedMessage", "rehearse"]

#: Messages that are nearly taken are looked at a few at a time.
_NEARLY_SHOWN = 20

#: A share of the inbox beyond which a rule is more likely a mistake (common practice).
_MUCH = 0.3

#: Whom the owner has written to.
_ANSWERED = (
    "SELECT DISTINCT a.local, a.domain FROM message_address AS a"
    " JOIN message AS m ON m.id = a.message_id"
    " WHERE m.folder_id = :sent AND a.header IN ('to', 'cc')"
)


@dataclass(frozen=True, slots=True)
class RehearsedMessage:
    """A message that the rule would take, and why."""

    message: StoredMessage
    evidence: tuple[EvidencePiece, ...]


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """What a rule would take of the mail already here.

    ``takes_otherwise`` is how many it would take with *any* in place of *all* in its outermost
    bracket, or the reverse; None where that makes no difference to what the rule says.
    ``settled`` is how many of those it takes are already as its actions would have them.
    ``takes_each`` is, for each condition of that bracket, how many it takes by itself. ``nearly``
    is how many miss it by exactly one condition. ``earlier`` holds, for rules above it that get
    there first, their id and how many messages that is. ``risks`` are said plainly.
    """

    examined: int
    takes: int
    settled: int
    takes_otherwise: int | None
    takes_each: tuple[int, ...]
    first: tuple[RehearsedMessage, ...]
    nearly: int
    first_nearly: tuple["NearlyTaken", ...]
    earlier: tuple[tuple[int, int], ...]
    risks: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class NearlyTaken:
    """A message that misses the rule by one condition, in words, with what did hold."""

    message: StoredMessage
    evidence: tuple[EvidencePiece, ...]
    missing: str


def _otherwise(when: TestTrail) -> bool:
    """Whether the outermost bracket would hold with *any* in place of *all* or the reverse."""
    held = [each.held for each in when.inside]
    return any(held) if when.kind == "all" else all(held)


class _Settled:
    """Tells of a message whether a rule's actions would change nothing about it."""

    def __init__(self, session: Session, rule: Rule) -> None:
        self._session = session
        self._slots: dict[str, object] = {}
        self._labels: list[tuple[frozenset[int], bool]] = []
        self._copies: list[int | None] = []
        for action in rule.then:
            self._want(action)

    def _folder(self, path: str) -> int | None:
        """The folder at a path; None where it is still to be made."""
        paths = folder_paths(self._session).items()
        return next((key for key, each in paths if each.casefold() == path.casefold()), None)

    def _want(self, action: Action) -> None:
        match action:
            case FileAction():
                self._slots["folder_id"] = self._folder(action.folder)
            case PlaceAction():
                self._slots["folder_id"] = folder_with_role(
                    self._session, ROLE_OF_ACTION[action.do]
                )
            case LabelAction() | UnlabelAction():
                bearing = messages_with_label(self._session, action.label)
                self._labels.append((bearing, isinstance(action, LabelAction)))
            case MarkAction():
                self._slots[action.slot] = action.sets
            case ColourAction():
                self._slots["colour"] = action.colour
            case PriorityAction():
                self._slots["priority"] = action.level
            case CopyAction():
                self._copies.append(self._folder(action.folder))

    def __call__(self, message: StoredMessage) -> bool:
        row = message.row
        if any(getattr(row, column) != wanted for column, wanted in self._slots.items()):
            return False
        if any((message.id in bearing) != wanted for bearing, wanted in self._labels):
            return False
        return all(
            folder is not None and has_copy(self._session, row, folder) for folder in self._copies
        )


class _Tally:
    """Counts, message by message, what a rule takes."""

    def __init__(
        self,
        rule: Rule,
        settled: _Settled,
        limit: int,
        around: MailboxCircumstances,
        above: "RulesAbove",
    ) -> None:
        self._rule, self._settled, self._limit = rule, settled, limit
        self._around, self._above = around, above
        self.earlier: Counter[int] = Counter()
        self.senders: set[str] = set()
        self.taken_from: Counter[int] = Counter()
        self.nearly = 0
        self.first_nearly: list[NearlyTaken] = []
        group = rule.when if isinstance(rule.when, AllGroup | AnyGroup) else None
        self.each = [0] * len(group.tests) if group else []
        self._turnable = len(self.each) > 1
        self.examined = self.takes = self.settled = self._otherwise = 0
        self.first: list[RehearsedMessage] = []

    @property
    def otherwise(self) -> int | None:
        return self._otherwise if self._turnable else None

    def add(self, message: StoredMessage) -> None:
        received = datetime.fromtimestamp(message.row.received_at, UTC)
        circumstances = self._around.of(received, message.id)
        tried = take(self._rule, message, Given(message.state, circumstances))
        self.examined += 1
        for position, inside in enumerate(tried.when.inside[: len(self.each)]):
            self.each[position] += inside.held
        spared = tried.unless is not None and tried.unless.held
        self._otherwise += self._turnable and _otherwise(tried.when) and not spared
        if not tried.took:
            self._miss(message, tried)
            return
        self.takes += 1
        self.taken_from[message.row.folder_id] += 1
        self.senders.update(map(canonical_address, message.addresses.get("from", ())))
        first = self._above.first_to_take(message, circumstances)
        if first is not None:
            self.earlier[first] += 1
        self.settled += self._settled(message)
        if len(self.first) < self._limit:
            self.first.append(RehearsedMessage(message, tuple(evidence_of(tried.when))))

    def _miss(self, message: StoredMessage, tried: RuleTrail) -> None:
        found = missing(tried)
        if found is None or found.condition.condition is None:
            return
        self.nearly += 1
        if len(self.first_nearly) < min(self._limit, _NEARLY_SHOWN):
            said = condition_saying(found.condition.condition)
            told = f"kept out: {said}" if found.spared else f"all but: {said}"
            evidence = tuple(evidence_of(tried.when, partly=True))
            self.first_nearly.append(NearlyTaken(message, evidence, told))


class RulesAbove:
    """The rules above the rehearsed one that keep it from placing mail: they stop, or place it."""

    def __init__(self, rule: Rule, above: Sequence[StoredRule]) -> None:
        places = any(each.slot == "place" for each in rule.then)
        self._ids = []
        rules = []
        for stored in above:
            sets_place = places and any(each.slot == "place" for each in stored.rule.then)
            if stored.rule.stop or sets_place:
                self._ids.append(stored.id)
                rules.append(stored.rule)
        self._rules = CompiledRules(rules, "arrival") if rules else None

    def first_to_take(self, message: StoredMessage, circumstances: Circumstances) -> int | None:
        """The id of the first of them that takes the message on arrival, or None."""
        if self._rules is None:
            return None
        taken_by = self._rules.decide(message, Given(message.state, circumstances)).taken_by
        return self._ids[taken_by[0]] if taken_by else None


def _risks(session: Session, rule: Rule, tally: _Tally) -> Iterator[str]:
    for phrase in short_phrases(rule.when):
        yield f"“{phrase}” is short: it stands inside many other words"
    inbox = folder_with_role(session, "inbox")
    ((there,),) = fetch(session, "SELECT count(*) FROM message WHERE folder_id = :id", id=inbox)
    taken = tally.taken_from[inbox]
    if there and taken > there * _MUCH:
        yield f"It takes {taken:,} of the {there:,} messages in the inbox"
    sent = folder_with_role(session, "sent")
    answered = {
        canonical_address(f"{local}@{domain}")
        for local, domain in fetch(session, _ANSWERED, sent=sent)
    }
    known = len(answered & tally.senders)
    if known:
        people = "one person" if known == 1 else f"{known} people"
        yield f"It takes mail from {people} you have written to"


def rehearse(
    session: Session,
    rule: Rule,
    *,
    now: datetime,
    limit: int = 50,
    above: Sequence[StoredRule] = (),
) -> Rehearsal:
    """Try the rule on every message here; the newest ``limit`` it takes are kept with evidence.

    ``above`` are the rules that mail passes before it.
    """
    around = MailboxCircumstances(session, now)
    tally = _Tally(rule, _Settled(session, rule), limit, around, RulesAbove(rule, above))
    for message in stored_messages(session, message_ids(session)):
        tally.add(message)
    return Rehearsal(
        tally.examined,
        tally.takes,
        tally.settled,
        tally.otherwise,
        tuple(tally.each),
        tuple(tally.first),
        tally.nearly,
        tuple(tally.first_nearly),
        tuple(tally.earlier.most_common()),
        tuple(_risks(session, rule, tally)),
    )
