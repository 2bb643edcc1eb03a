"""What rules that took a message do to it: the same for every message that just they took."""

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic_core import to_json
from sqlmodel import Session

from mnemic.core import Event, Outcome
from mnemic.core.actions import LabelAction
from mnemic.core.outcome import RuleTrail
from mnemic.jobs.excerpts import evidence_of
from mnemic.jobs.placing import action_trails, owners_of, place_of, placed_in, slot_values

__all__ = ["Effects", "TrailFrame", "effects_of", "trail_rows"]


@dataclass(frozen=True, slots=True)
class TrailFrame:
    """What a trail's entry says of a rule, but for the message and the evidence in it.

    ``labels`` and ``actions`` are JSON.
    """

    rule_id: int
    name: str
    folder: str | None
    labels: str
    actions: str
    overruled: bool


@dataclass(frozen=True, slots=True)
class Effects:
    """What is to become of a message, each with the id of the rule whose doing it is.

    ``place`` is a folder's path, ``slots`` are columns and their values, ``labels`` names to put
    on (True) or to take off. ``frames`` are the rules that took it, in their order.
    """

    place: tuple[str, int | None] | None
    slots: tuple[tuple[str, Any, int | None], ...]
    labels: tuple[tuple[str, bool, int | None], ...]
    copies: tuple[tuple[str, int | None], ...]
    frames: tuple[TrailFrame, ...]


def effects_of(
    session: Session, outcome: Outcome, rule_ids: Mapping[int, int], event: Event
) -> Effects:
    """What an outcome does; ``rule_ids`` are the rules' ids by their places in the line."""
    owners = owners_of(outcome, rule_ids)
    path = place_of(session, outcome)
    labels = [(name, True) for name in outcome.labels] + [(n, False) for n in outcome.unlabels]
    return Effects(
        place=None if path is None else (path, owners.get("place")),
        slots=tuple(
            (slot, value, owners.get(slot)) for slot, value in slot_values(outcome).items()
        ),
        labels=tuple((name, put, owners.get(f"label {name.casefold()}")) for name, put in labels),
        copies=tuple((path, owners.get(f"copy {path.casefold()}")) for path in outcome.copies),
        frames=tuple(
            _frame(session, each, rule_ids[each.position], event) for each in outcome.takers
        ),
    )


def trail_rows(
    message_id: int, outcome: Outcome, effects: Effects, event: Event, at: int
) -> Iterator[tuple[object, ...]]:
    """What each rule that took a message did, with its evidence, as ``store.trail`` keeps it."""
    for frame, rule in zip(effects.frames, outcome.takers, strict=True):
        pieces = [(e.field, e.value, e.start, e.end) for e in evidence_of(rule.when)]
        yield (
            message_id,
            frame.rule_id,
            frame.name,
            event,
            at,
            frame.folder,
            frame.labels,
            to_json(pieces).decode(),
            frame.actions,
        )


def _frame(session: Session, rule: RuleTrail, rule_id: int, event: Event) -> TrailFrame:
    acted = [each.action for each in rule.actions if each.overruled_by is None]
    labels = [action.label for action in acted if isinstance(action, LabelAction)]
    return TrailFrame(
        rule_id=rule_id,
        name=rule.name,
        folder=placed_in(session, rule),
        labels=json.dumps(labels),
        actions=json.dumps(action_trails(rule, event)),
        overruled=any(each.overruled_by for each in rule.actions),
    )
