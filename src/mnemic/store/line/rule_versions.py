"""Versions of a rule: what it was after each time it was saved, read from the journal."""

import json
from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.rules.reading import read_stored_rule
from mnemic.core.run_sayings import run_saying
from mnemic.store.engine.sql import fetch

__all__ = ["RuleVersion", "versions_of"]


@dataclass(frozen=True, slots=True)
class RuleVersion:
    """A rule as it was saved then; ``at`` is in seconds since 1970-01-01 UTC, None: from the start.

    ``saying`` is what was done.
    """

    at: int | None
    saying: str
    rule: Rule


def versions_of(session: Session, rule_id: int) -> list[RuleVersion]:
    """Every version of a rule, the newest first. Moves in the line make no version."""
    rows = fetch(
        session,
        "SELECT r.at, r.kind, r.saying, j.before, j.after FROM journal AS j"
        " JOIN run AS r ON r.id = j.run_id"
        " WHERE j.entity = 'rule' AND j.entity_id = :id ORDER BY j.id",
        id=rule_id,
    )
    versions: list[RuleVersion] = []
    last: str | None = None
    for at, kind, what, before, after in rows:
        if not versions and before is not None:
            last = json.loads(before)["document"]
            versions.append(RuleVersion(None, "As it was first", read_stored_rule(last)))
        document = None if after is None else json.loads(after)["document"]
        if document is None or document == last:
            continue
        last = document
        versions.append(RuleVersion(at, run_saying(kind, what), read_stored_rule(document)))
    return versions[::-1]
