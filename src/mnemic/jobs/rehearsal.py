"""Rehearsal: what a rule would do with mail already here, before anything happens."""

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlmodel import Session

from mnemic.core import Given, Rule, take
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
from mnemic.core.matching import TestTrail
from mnemic.core.rules import AllGroup, AnyGroup
from mnemic.jobs.circumstances import MailboxCircumstances
from mnemic.jobs.excerpts import evidence_of
from mnemic.jobs.placing import ROLE_OF_ACTION
from mnemic.store.folders import folder_paths, folder_with_role
from mnemic.store.labels import messages_with_label
from mnemic.store.mailbox import has_copy, message_ids
from mnemic.store.message_views import StoredMessage, stored_messages
from mnemic.store.trail import EvidencePiece

__all__ = ["Rehearsal", "RehearsedMessage", "rehearse"]


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
    ``takes_each`` is, for each condition of that bracket, how many it takes by itself.
    """

    examined: int
    takes: int
    settled: int
    takes_otherwise: int | None
    takes_each: tuple[int, ...]
    first: tuple[RehearsedMessage, ...]


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
        self, rule: Rule, settled: _Settled, limit: int, around: MailboxCircumstances
    ) -> None:
        self._rule, self._settled, self._limit = rule, settled, limit
        self._around = around
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
            return
        self.takes += 1
        self.settled += self._settled(message)
        if len(self.first) < self._limit:
            self.first.append(RehearsedMessage(message, tuple(evidence_of(tried.when))))


def rehearse(session: Session, rule: Rule, *, now: datetime, limit: int = 50) -> Rehearsal:
    """Try the rule on every message here; the newest ``limit`` it takes are kept with evidence."""
    around = MailboxCircumstances(session, now)
    tally = _Tally(rule, _Settled(session, rule), limit, around)
    for message in stored_messages(session, message_ids(session)):
        tally.add(message)
    return Rehearsal(
        tally.examined,
        tally.takes,
        tally.settled,
        tally.otherwise,
        tuple(tally.each),
        tuple(tally.first),
    )
