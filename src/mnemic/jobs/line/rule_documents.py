"""Rule documents in and out: the line as a file, and what a file would change about the line."""

from collections.abc import Iterable
from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core import Rule, RuleDocument, read_rule_document
from mnemic.jobs.line.line_changes import LineChange, take_rules
from mnemic.store.line.rules import StoredRule, list_rules

__all__ = ["Incoming", "compare_document", "document_of", "take_document"]


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


def compare_document(session: Session, octets: bytes) -> Incoming:
    """What taking a document in would change. A rule is known by its name, as in the line.

    Raises RuleDocumentError with everything that is wrong in it: it is taken whole or not at all.
    """
    document = read_rule_document(octets)
    there: dict[str, list[StoredRule]] = {}
    for stored in list_rules(session):
        there.setdefault(stored.rule.name, []).append(stored)
    added, changed, alike = [], [], []
    for rule in document.rules:  # of several of one name the first is for the first
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


def take_document(session: Session, octets: bytes, *, at: int) -> LineChange:
    """Take a document in, as one change that can be undone; new rules go to the end of the line.

    Raises RuleDocumentError as ``compare_document`` does; nothing is changed then.
    """
    incoming = compare_document(session, octets)
    changed = {stored.id: rule for stored, rule in incoming.changed}
    return take_rules(session, incoming.added, changed, at=at)
