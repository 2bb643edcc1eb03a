"""Pins: messages that a rule must take, or must not; examples by which it is checked."""

from collections.abc import Iterable
from dataclasses import dataclass

from sqlmodel import Session, col, delete, select

from mnemic.store.engine.tables import PinRow

__all__ = ["Pin", "change_pins", "pins_of_rules"]


@dataclass(frozen=True, slots=True)
class Pin:
    """A message that a rule must take (``wanted``), or must not."""

    message_id: int
    wanted: bool


def pins_of_rules(session: Session) -> dict[int, list[Pin]]:
    """The pins of each rule that has some, by the rule's id."""
    pins_by_rule: dict[int, list[Pin]] = {}
    for row in session.exec(select(PinRow).order_by(col(PinRow.message_id))):
        pins_by_rule.setdefault(row.rule_id, []).append(Pin(row.message_id, row.wanted))
    return pins_by_rule


def change_pins(session: Session, rule_id: int, pins: Iterable[Pin]) -> None:
    """Let a rule have these pins, and no others."""
    session.exec(delete(PinRow).where(col(PinRow.rule_id) == rule_id))
    for wanted in {pin.message_id: pin for pin in pins}.values():
        session.add(PinRow(rule_id=rule_id, message_id=wanted.message_id, wanted=wanted.wanted))
    session.flush()
