"""The line: rules in their order."""

from dataclasses import dataclass
from functools import lru_cache

from sqlalchemy import func
from sqlmodel import Session, col, select

from mnemic.core import Rule
from mnemic.core.rules.reading import read_stored_rule
from mnemic.store.engine.driver import driver
from mnemic.store.engine.stamps import while_unchanged
from mnemic.store.engine.tables import RuleRow

__all__ = [
    "StandingLine",
    "StoredRule",
    "add_rule",
    "delete_rule",
    "get_rule",
    "list_rules",
    "reorder_rules",
    "replace_rule",
    "rule_names",
    "standing_line",
]


@dataclass(frozen=True, slots=True)
class StoredRule:
    """A rule with its id."""

    id: int
    rule: Rule


class StandingLine:
    """The rules of a line, from top to bottom, and their ids by their place in it."""

    def __init__(self, stored: tuple[StoredRule, ...]) -> None:
        self.stored = stored
        self.rules = tuple(rule.rule for rule in stored)
        self.ids = {position: rule.id for position, rule in enumerate(stored)}


@lru_cache(maxsize=4_096)  # each message that comes in asks for the line
def _read(document: str) -> Rule:
    return read_stored_rule(document)


def _stored(row: RuleRow) -> StoredRule:
    return StoredRule(row.id or 0, _read(row.document))


def _document(rule: Rule) -> str:
    return rule.model_dump_json(by_alias=True)


def list_rules(session: Session) -> list[StoredRule]:
    """Every rule of the line, from top to bottom."""
    return list(standing_line(session).stored)


def standing_line(session: Session) -> StandingLine:
    """The line as it stands."""
    return while_unchanged(session, "line", ("rule",), lambda: _read_line(session))


def _read_line(session: Session) -> StandingLine:
    rows = driver(session).execute(
        "SELECT id, document FROM rule WHERE deleted = 0 ORDER BY position, id"
    )
    return StandingLine(tuple(StoredRule(key, _read(document)) for key, document in rows))


def rule_names(session: Session) -> dict[int, str]:
    """The name of every rule by its id, those that are deleted too."""
    return {row.id or 0: _read(row.document).name for row in session.exec(select(RuleRow))}


def _line(session: Session) -> list[RuleRow]:
    kept = select(RuleRow).where(col(RuleRow.deleted).is_(False))
    return list(session.exec(kept.order_by(col(RuleRow.position), col(RuleRow.id))))


def _row(session: Session, rule_id: int) -> RuleRow | None:
    row = session.get(RuleRow, rule_id)
    return None if row is None or row.deleted else row


def get_rule(session: Session, rule_id: int) -> StoredRule | None:
    """One rule, or None where there is no such rule."""
    row = _row(session, rule_id)
    return None if row is None else _stored(row)


def add_rule(session: Session, rule: Rule) -> StoredRule:
    """Put a new rule at the end of the line."""
    last = session.exec(select(func.max(RuleRow.position))).one()
    row = RuleRow(position=0 if last is None else last + 1, document=_document(rule))
    session.add(row)
    session.flush()
    return StoredRule(row.id or 0, rule)


def replace_rule(session: Session, rule_id: int, rule: Rule) -> StoredRule | None:
    """Put ``rule`` in place of the one with that id; None where there is no such rule."""
    row = _row(session, rule_id)
    if row is None:
        return None
    row.document = _document(rule)
    session.flush()
    return StoredRule(rule_id, rule)


def delete_rule(session: Session, rule_id: int) -> bool:
    """Take a rule out of the line; its trail and its versions stay. Whether there was one."""
    row = _row(session, rule_id)
    if row is None:
        return False
    row.deleted = True
    session.flush()
    return True


def reorder_rules(session: Session, rule_ids: list[int]) -> bool:
    """Put the rules in this order; False, and nothing changes, unless it names each one once."""
    rows = {row.id: row for row in _line(session)}
    if sorted(rule_ids) != sorted(key for key in rows if key is not None):
        return False
    for position, rule_id in enumerate(rule_ids):
        rows[rule_id].position = position
    session.flush()
    return True
