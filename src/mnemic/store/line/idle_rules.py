"""Rules that have taken nothing for a while."""

from typing import NamedTuple

from sqlmodel import Session

from mnemic.store.engine.sql import fetch

__all__ = ["IdleRule", "idle_rules"]


class IdleRule(NamedTuple):
    """A rule, and when it took its last message (seconds since 1970); None where it took none."""

    rule_id: int
    last: int | None


def idle_rules(session: Session, since: int) -> list[IdleRule]:
    """The rules that took nothing since that time, and were made before it."""
    rows = fetch(
        session,
        "SELECT rule.id, (SELECT max(at) FROM trail WHERE rule_id = rule.id) AS last FROM rule"
        " WHERE NOT rule.deleted AND coalesce(last, 0) < :since AND NOT EXISTS ("
        "SELECT 1 FROM journal AS j JOIN run AS r ON r.id = j.run_id WHERE j.entity = 'rule'"
        " AND j.entity_id = rule.id AND j.before IS NULL AND r.at >= :since)"
        " ORDER BY rule.position",
        since=since,
    )
    return [IdleRule(*row) for row in rows]
