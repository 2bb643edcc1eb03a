"""Remedies for what the order check finds, each one act that can be undone."""

from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.rules import AllGroup, AnyGroup, AnyTest, NotGroup
from mnemic.jobs.line.line_changes import (
    LineChange,
    change_rule,
    delete_rules,
    make_places_of,
    move_rules,
    switch_rules,
)
from mnemic.jobs.line.order_findings import RemedyKind
from mnemic.store.line.rules import get_rule, list_rules

__all__ = ["order_with", "remedy", "sparing"]


def order_with(ids: list[int], rule_id: int, above: int) -> list[int]:
    """The order of a line with one rule right above another."""
    order = [key for key in ids if key != rule_id]
    order.insert(order.index(above), rule_id)
    return order


def sparing(rule: Rule, other: Rule) -> Rule:
    """A rule that leaves to another what that one takes."""
    parts = [other.when]
    if other.days is not None:
        parts.append(other.days)
    if other.unless is not None:
        parts.append(NotGroup(not_=other.unless))
    taken = AllGroup(all=tuple(parts)) if len(parts) > 1 else other.when
    before: tuple[AnyTest, ...] = () if rule.unless is None else (rule.unless,)
    if isinstance(rule.unless, AnyGroup):
        before = rule.unless.any
    return rule.model_copy(update={"unless": AnyGroup(any=(*before, taken))})


def remedy(
    session: Session, kind: RemedyKind, rule_id: int, other_id: int | None, *, at: int
) -> LineChange | None:
    """Mend what was found; None where one of the rules is not here any more."""
    rule = get_rule(session, rule_id)
    other = None if other_id is None else get_rule(session, other_id)
    if rule is None or (other is None and kind in ("move_above", "add_exception")):
        return None
    if kind == "switch_off":
        return switch_rules(session, [rule_id], on=False, at=at)
    if kind == "merge":  # the other one says the same
        return delete_rules(session, [rule_id], at=at)
    if kind == "make_places":
        return make_places_of(session, rule.rule, at=at)
    assert other is not None  # noqa: S101 -- seen to above
    if kind == "move_above":
        ids = [stored.id for stored in list_rules(session)]
        return move_rules(session, order_with(ids, rule.id, other.id), at=at)
    return change_rule(session, other.id, sparing(other.rule, rule.rule), at=at)
