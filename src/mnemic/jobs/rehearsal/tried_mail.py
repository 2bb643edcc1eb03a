"""A rule tried on single messages by the core: whether it takes them, why, or by what it misses."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlmodel import Session

from mnemic.core import Given, Rule, take
from mnemic.core.evaluation.nearly import missing
from mnemic.core.evaluation.outcome import RuleTrail
from mnemic.core.rules import conditions_in
from mnemic.core.rules.sentence import condition_saying
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.excerpts import evidence_of
from mnemic.store.journal.trail import EvidencePiece
from mnemic.store.mail.message_views import StoredMessage, know_folded, stored_messages

__all__ = ["NearlyTaken", "RehearsedMessage", "ShownMail", "Trying", "try_on"]


@dataclass(frozen=True, slots=True)
class RehearsedMessage:
    """A message that the rule would take, and why; ``stays`` says why a catch-up leaves it."""

    message: StoredMessage
    evidence: tuple[EvidencePiece, ...]
    stays: str = ""


@dataclass(frozen=True, slots=True)
class NearlyTaken:
    """A message that misses the rule by one condition, in words, with what did hold."""

    message: StoredMessage
    evidence: tuple[EvidencePiece, ...]
    missing: str


class Trying:
    """Tries a rule on single messages, as the core does."""

    def __init__(self, rule: Rule, around: MailboxCircumstances, now: datetime) -> None:
        self._rule, self._around = rule, around
        # Who had written before differs from message to message; few rules ask for it.
        tests = (*conditions_in(rule.when), *conditions_in(rule.unless))
        self._same = None if any(e.field == "contact" for e in tests) else around.of(now)

    def on(self, message: StoredMessage) -> RuleTrail:
        """Whether the rule takes a message, and why."""
        circumstances = self._same
        if circumstances is None:
            received = datetime.fromtimestamp(message.row.received_at, UTC)
            circumstances = self._around.of(received, message.id)
        return take(self._rule, message, Given(message.state, circumstances))


def try_on(session: Session, rule: Rule, message: StoredMessage, *, now: datetime) -> RuleTrail:
    """Whether a rule takes a message, and why."""
    return Trying(rule, MailboxCircumstances(session, now), now).on(message)


class ShownMail:
    """The messages that are shown, each with the core's own answer."""

    def __init__(
        self, session: Session, trying: Trying, why_it_stays: Callable[[int], str]
    ) -> None:
        self._session, self._trying, self._why_it_stays = session, trying, why_it_stays

    def of(
        self, takes: list[int], nearly: list[int]
    ) -> tuple[tuple[RehearsedMessage, ...], tuple[NearlyTaken, ...]]:
        """What is shown of messages that it takes, and of those that it nearly takes."""
        messages = {m.id: m for m in stored_messages(self._session, iter([*takes, *nearly]))}
        know_folded(self._session, messages)
        return (
            tuple(self._taken(messages[key]) for key in takes),
            tuple(self._nearly(messages[key]) for key in nearly),
        )

    def _taken(self, message: StoredMessage) -> RehearsedMessage:
        evidence = tuple(evidence_of(self._trying.on(message).when))
        return RehearsedMessage(message, evidence, self._why_it_stays(message.id))

    def _nearly(self, message: StoredMessage) -> NearlyTaken:
        tried = self._trying.on(message)
        missed = missing(tried)
        saying = ""
        if missed is not None and missed.condition.condition is not None:
            condition = condition_saying(missed.condition.condition)
            saying = f"kept out: {condition}" if missed.spared else f"all but: {condition}"
        return NearlyTaken(message, tuple(evidence_of(tried.when, partly=True)), saying)
