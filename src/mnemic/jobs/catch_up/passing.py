"""Rules applied to messages that are here, some at a time, with what has been done so far."""

import json
from collections import Counter
from collections.abc import Iterator, Sequence, Set
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache
from typing import NamedTuple

from pydantic import BaseModel, computed_field
from sqlmodel import Session

from mnemic.core import CompiledRules, Event, Given, Outcome, Rule, through_rules
from mnemic.core.errors import AS_STORED
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.gathered_changes import GatheredChanges
from mnemic.jobs.shared.rule_effects import RuleEffects, effects_of, trail_rows
from mnemic.store.journal.trail import add_rows
from mnemic.store.line.rule_work import changed_by_hand
from mnemic.store.mail.message_views import StoredMessage, stored_messages
from mnemic.store.server.connections import watched_mailboxes

__all__ = ["ActingRules", "Applying", "CatchUpReport", "RuleShare"]


class RuleShare(BaseModel):
    """How many messages one rule takes in a catch-up, and for how many it is overruled."""

    taken: int = 0
    overruled: int = 0


class CatchUpReport(BaseModel):
    """What a catch-up does: how many messages, by what is done to them, by place and by rule.

    Of the messages ``taken``, ``changed`` are changed and ``unchanged`` in order already;
    ``respected`` were left alone since a person changed them. ``left`` tells for how many messages
    something is left to which rule above, that is not one of the chosen. ``out_of_inbox`` of those
    that move leave the inbox. ``moved_to`` are the folders by their paths, in each mailbox by id.
    """

    taken: int = 0
    changed: int = 0
    moved: int = 0
    out_of_inbox: int = 0
    labelled: int = 0
    marked: int = 0
    unchanged: int = 0
    respected: int = 0
    left: dict[int, int] = {}
    moved_to: dict[int, dict[str, int]] = {}
    by_rule: dict[int, RuleShare] = {}

    @computed_field  # type: ignore[prop-decorator] # mypy knows none but property above it
    @property
    def places(self) -> dict[str, int]:
        """How many messages move to folders of which path, whatever their mailbox."""
        places: dict[str, int] = {}
        for paths in self.moved_to.values():
            for path, count in paths.items():
                places[path] = places.get(path, 0) + count
        return places

    def count_moved(self, mailbox_id: int, path: str, messages: int) -> None:
        """Count messages of a mailbox that move to its folder at a path."""
        paths = self.moved_to.setdefault(mailbox_id, {})
        paths[path] = paths.get(path, 0) + messages

    def add(self, changes: GatheredChanges) -> None:
        """Count what was gathered of a batch."""
        self.moved += changes.moved
        self.out_of_inbox += changes.out_of_inbox
        self.labelled += changes.labelled
        self.marked += changes.marked
        for (path, mailbox_id), count in changes.places().items():
            self.count_moved(mailbox_id, path, count)

    def count_takers(self, effects: RuleEffects, messages: int) -> None:
        """Count the rules that took so many messages."""
        for frame in effects.frames:
            share = self.by_rule.setdefault(frame.rule_id, RuleShare())
            share.taken += messages
            share.overruled += messages * frame.overruled

    def leave(self, rule_ids: Set[int]) -> None:
        """Count a message of which something is left to these rules."""
        for rule_id in rule_ids:
            self.left[rule_id] = self.left.get(rule_id, 0) + 1


class ActingRules(NamedTuple):
    """Rules that mail passes, as JSON with their ids in the same order, and which of them act."""

    documents: str
    ids: tuple[int, ...]
    acting: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class _Ready:
    """Rules made ready to be run, whatever they run on by themselves and though they are off.

    ``acting`` are the places of those that act, and ``alone`` those without the others.
    """

    rules: tuple[Rule, ...]
    acting: frozenset[int]
    compiled: CompiledRules
    alone: CompiledRules

    @property
    def places(self) -> Set[int]:
        """The places of all of them."""
        return frozenset(range(len(self.rules)))


@lru_cache(maxsize=2)  # the catch-up that runs needs its rules again for each batch
def _ready(rules: ActingRules) -> _Ready:
    asked = {"enabled": True, "runs": ("hand",)}
    read = tuple(
        Rule.model_validate(document, context=AS_STORED).model_copy(update=asked)
        for document in json.loads(rules.documents)
    )
    acting_ids = set(rules.acting)
    acting = frozenset(at for at, rule_id in enumerate(rules.ids) if rule_id in acting_ids)
    compiled = CompiledRules(read, "hand")
    if len(acting) == len(read):
        return _Ready(read, acting, compiled, compiled)
    alone = CompiledRules(_without(read, frozenset(range(len(read))) - acting), "hand")
    return _Ready(read, acting, compiled, alone)


def _without(rules: Sequence[Rule], off: Set[int]) -> list[Rule]:
    return [rule.model_copy(update={"enabled": at not in off}) for at, rule in enumerate(rules)]


@dataclass(frozen=True, slots=True)
class _Taken:
    message_id: int
    outcome: Outcome
    effects: RuleEffects


class Applying:
    """Applies rules to messages at a time (seconds since 1970), within one transaction.

    Mail passes all the ``rules``; only what the acting ones do is made. ``respects``: a message
    that a person changed after a rule last acted on it is left alone by that rule.
    """

    def __init__(
        self,
        session: Session,
        rules: ActingRules,
        *,
        at: int,
        event: Event,
        respects: bool,
    ) -> None:
        self._session, self._at, self._respects, self._event = session, at, respects, event
        self._ready = _ready(rules)
        self._ids = dict(enumerate(rules.ids))
        self._acting = {self._ids[at]: at for at in self._ready.acting}
        self._around = MailboxCircumstances(session, datetime.fromtimestamp(at, UTC))
        self._watched = watched_mailboxes(session)
        self._effects: dict[tuple[int, ...], RuleEffects] = {}
        self._changes: GatheredChanges | None = None
        self._taken: list[_Taken] = []

    def gather(self, ids: Sequence[int], report: CatchUpReport) -> None:
        """Gather what is to change about messages, counted in the report; nothing is changed."""
        changes, taken = GatheredChanges(self._session), []
        counts: Counter[tuple[int, ...]] = Counter()
        respects = self._respects
        guarded = changed_by_hand(self._session, ids) if respects else {}
        for message in stored_messages(self._session, iter(ids)):
            mine = guarded.get(message.id, set())
            given = self._given(message)
            off = {at for rule_id in mine if (at := self._acting.get(rule_id)) is not None}
            outcome = self._outcome(message, given, off, report)
            effects = self._effects_of(outcome)
            left = {*effects.left, *self._stopped_by(message, given, outcome, off)}
            report.leave(left)
            if not effects.frames:
                continue
            counts[outcome.taken_by] += 1
            watched = message.row.mailbox_id in self._watched  # it is only told
            if not watched and changes.gather(message, effects):
                taken.append(_Taken(message.id, outcome, effects))
            elif not left:
                report.unchanged += 1
        for taken_by, messages in counts.items():
            report.count_takers(self._effects[taken_by], messages)
        report.taken += counts.total()
        report.changed += len(taken)
        report.add(changes)
        self._changes, self._taken = changes, taken

    def make(self, run_id: int) -> None:
        """Make what was gathered, and write down what was done to each message, and why."""
        if self._changes is not None:
            self._changes.make(run_id, at=self._at)
        add_rows(self._session, self._trail())

    def _trail(self) -> Iterator[tuple[object, ...]]:
        for taken in self._taken:
            yield from trail_rows(
                taken.message_id, taken.outcome, taken.effects, self._event, self._at
            )

    def _effects_of(self, outcome: Outcome) -> RuleEffects:
        """What rules do depends on which of them took the message, and on nothing else of it."""
        effects = self._effects.get(outcome.taken_by)
        if effects is None:
            effects = effects_of(
                self._session, outcome.takers, self._ids, self._event, self._ready.acting
            )
            self._effects[outcome.taken_by] = effects
        return effects

    def _given(self, message: StoredMessage) -> Given:
        received = datetime.fromtimestamp(message.row.received_at, UTC)
        return Given(message.state, self._around.of(received, message.id))

    def _outcome(
        self, message: StoredMessage, given: Given, off: Set[int], report: CatchUpReport
    ) -> Outcome:
        """What the line comes to without the rules that are off: they leave the message alone."""
        outcome = self._ready.compiled.explain(message, given)
        if off.isdisjoint(outcome.taken_by):
            return outcome
        report.respected += 1
        # What a rule that does not act had overruled, or stopped, acts now.
        return through_rules(_without(self._ready.rules, off), message, "hand", given)

    def _stopped_by(
        self, message: StoredMessage, given: Given, outcome: Outcome, off: Set[int]
    ) -> Iterator[int]:
        """The rule that stopped a message, is not to act itself, and keeps it from one that is."""
        if outcome.stopped_by is None or outcome.taken_by[-1] in self._ready.acting:
            return
        last, ready = outcome.taken_by[-1], self._ready
        if off:
            alone = _without(ready.rules, off | (ready.places - ready.acting))
            taken_by = through_rules(alone, message, "hand", given).taken_by
        else:
            taken_by = ready.alone.decide(message, given).taken_by
        if any(at > last for at in taken_by):
            yield self._ids[last]
