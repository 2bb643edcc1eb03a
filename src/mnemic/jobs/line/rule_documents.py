"""Rule documents in and out: the line as a file, and what a file would change about the line."""

from collections.abc import Iterable
from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core import Rule, RuleDocument
from mnemic.core.sieve import ReadScript, read_script
from mnemic.jobs.line.line_changes import LineChange, take_rules
from mnemic.store.line.rules import StoredRule, list_rules
from mnemic.store.owner.preferences import read_preferences

__all__ = ["Incoming", "compare_rules", "document_of", "rules_of_script", "take_incoming"]


@dataclass(frozen=True, slots=True)
class Incoming:
    """What a document would do: rules that are new, others changed (before, after), or alike."""

    added: tuple[Rule, ...]
    changed: tuple[tuple[StoredRule, Rule], ...]
    alike: tuple[StoredRule, ...]


def document_of(session: Session, ids: Iterable[int] | None = None) -> RuleDocument:
    """The line, or some of its rules, as a document."""
    wanted = None if ids is None else set(ids)
    rules = (stored.rule for stored in list_rules(session) if wanted is None or stored.id in wanted)
    return RuleDocument(format="mnemic-rules", version=1, rules=tuple(rules))


def rules_of_script(session: Session, octets: bytes) -> ReadScript:
    """The rules that a Sieve script comes to, in the owner's time zone. Raises SieveError."""
    return read_script(octets, read_preferences(session).zone)


def compare_rules(session: Session, rules: Iterable[Rule]) -> Incoming:
    """What taking rules in would change. A rule is known by its name, as in the line."""
    there: dict[str, list[StoredRule]] = {}
    for stored in list_rules(session):
        there.setdefault(stored.rule.name, []).append(stored)
    added, changed, alike = [], [], []
    for rule in rules:  # of several of one name the first is for the first
        known = there.get(rule.name)
        if not known:
            added.append(rule)
            continue
        stored = known.pop(0)
        if stored.rule == rule:
            alike.append(stored)
        else:
            changed.append((stored, rule))
    return Incoming(tuple(added), tuple(changed), tuple(alike))


def take_incoming(session: Session, rules: Iterable[Rule], *, at: int) -> LineChange:
    """Take rules in, as one change that can be undone; new ones go to the end of the line."""
    incoming = compare_rules(session, rules)
    changed = {stored.id: rule for stored, rule in incoming.changed}
    return take_rules(session, incoming.added, changed, at=at)
