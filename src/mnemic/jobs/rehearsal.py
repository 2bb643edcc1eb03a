"""Rehearsal: what a rule would do with mail already here, before anything happens."""

from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core import Rule, take
from mnemic.core.matching import TestTrail
from mnemic.core.rules import AllGroup, AnyGroup
from mnemic.jobs.excerpts import evidence_of
from mnemic.store.mailbox import message_ids
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
    ``takes_each`` is, for each condition of that bracket, how many it takes by itself.
    """

    examined: int
    takes: int
    takes_otherwise: int | None
    takes_each: tuple[int, ...]
    first: tuple[RehearsedMessage, ...]


def _otherwise(when: TestTrail) -> bool:
    """Whether the outermost bracket would hold with *any* in place of *all* or the reverse."""
    held = [each.held for each in when.inside]
    return any(held) if when.kind == "all" else all(held)


def rehearse(session: Session, rule: Rule, *, limit: int = 50) -> Rehearsal:
    """Try the rule on every message here; the newest ``limit`` it takes are kept with evidence."""
    brackets = len(rule.when.tests) if isinstance(rule.when, AllGroup | AnyGroup) else 0
    examined = takes = otherwise = 0
    each_alone = [0] * brackets
    first: list[RehearsedMessage] = []
    for message in stored_messages(session, message_ids(session)):
        examined += 1
        tried = take(rule, message)
        for position, inside in enumerate(tried.when.inside[:brackets]):
            each_alone[position] += inside.held
        spared = tried.unless is not None and tried.unless.held
        otherwise += brackets > 1 and _otherwise(tried.when) and not spared
        if tried.took:
            takes += 1
            if len(first) < limit:
                first.append(RehearsedMessage(message, tuple(evidence_of(tried.when))))
    return Rehearsal(
        examined, takes, otherwise if brackets > 1 else None, tuple(each_alone), tuple(first)
    )
