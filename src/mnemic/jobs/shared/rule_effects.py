"""What rules that took a message do to it: the same for every message that just they took."""

import json
from collections.abc import Hashable, Iterable, Iterator, Mapping, Set
from dataclasses import dataclass, field
from typing import Any, TypeAlias, assert_never

from pydantic_core import to_json
from sqlmodel import Session

from mnemic.core import Event, Outcome
from mnemic.core.actions import BaseAction
from mnemic.core.actions.effect import Column, CopyTo, Label, MoveTo, SetColumn
from mnemic.core.canonical import canonical_path
from mnemic.core.evaluation.outcome import ActedRule, RuleTrail
from mnemic.jobs.shared.destinations import path_of
from mnemic.jobs.shared.excerpts import evidence_of
from mnemic.jobs.shared.sending import action_trails

__all__ = ["RuleEffects", "TrailFrame", "effects_of", "trail_rows"]


Taker: TypeAlias = RuleTrail | ActedRule


@dataclass(frozen=True, slots=True)
class TrailFrame:
    """What a trail's entry says of a rule, but for the message and the evidence in it.

    ``position`` is the rule's place in the line. ``labels`` and ``actions`` are JSON.
    """

    position: int
    rule_id: int
    name: str
    folder: str | None
    labels: str
    actions: str
    overruled: bool


@dataclass(slots=True)
class RuleEffects:
    """What is to become of a message, each with the id of the rule whose doing it is.

    ``place`` is a folder's path, ``slots`` are columns and their values, ``labels`` names to put
    on (True) or to take off. ``frames`` are the rules that do it, in their order. ``left`` are the
    rules to which something of it is left, that are not among those which may act.
    """

    place: tuple[str, int] | None = None
    slots: list[tuple[Column, Any, int]] = field(default_factory=list)
    labels: list[tuple[str, bool, int]] = field(default_factory=list)
    copies: list[tuple[str, int]] = field(default_factory=list)
    frames: list[TrailFrame] = field(default_factory=list)
    left: list[int] = field(default_factory=list)

    def add(self, session: Session, action: BaseAction, rule_id: int, event: Event) -> None:
        """Add what one action does."""
        effect = action.effect(event)
        match effect:
            case None:
                return
            case MoveTo():
                self.place = (path_of(session, effect), rule_id)
            case SetColumn():
                self.slots.append((effect.column, effect.value, rule_id))
            case Label():
                self.labels.append((effect.name, effect.put, rule_id))
            case CopyTo():
                there = {canonical_path(path) for path, _ in self.copies}
                if canonical_path(effect.path) not in there:
                    self.copies.append((effect.path, rule_id))
            case _:
                assert_never(effect)


def effects_of(
    session: Session,
    takers: Iterable[Taker],
    rule_ids: Mapping[int, int],
    event: Event,
    acting: Set[int] | None = None,
) -> RuleEffects:
    """What rules that took a message do; ``rule_ids`` are their ids by their places in the line.

    Where ``acting`` names places in the line, only what the rules there do: what another rule of
    the line has claimed stays as that one has it.
    """
    effects = RuleEffects()
    claimed: dict[Hashable, Taker] = {}
    for rule in takers:
        rule_id, acts = rule_ids[rule.position], acting is None or rule.position in acting
        if acts:
            effects.frames.append(_frame(session, rule, rule_id, event))
        for action in rule.actions:
            claim = action.action.claim
            winner = rule if claim is None else claimed.setdefault(claim, rule)
            if not acts:
                continue
            if action.overruled_by is None:
                if action.held_back is None:
                    effects.add(session, action.action, rule_id, event)
            elif acting is not None and winner.position not in acting:
                effects.left.append(rule_ids[winner.position])
    return effects


def trail_rows(
    message_id: int, outcome: Outcome, effects: RuleEffects, event: Event, at: int
) -> Iterator[tuple[object, ...]]:
    """What each rule that acted did, with its evidence, as ``store.journal.trail`` keeps it."""
    rules = {taker.position: taker for taker in outcome.takers}
    for frame in effects.frames:
        pieces = [
            (e.field, e.value, e.start, e.end) for e in evidence_of(rules[frame.position].when)
        ]
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


def _frame(session: Session, rule: Taker, rule_id: int, event: Event) -> TrailFrame:
    acted = [
        action_trail.action
        for action_trail in rule.actions
        if action_trail.overruled_by is action_trail.held_back is None
    ]
    effects = [action.effect(event) for action in acted]
    labels = [effect.name for effect in effects if isinstance(effect, Label) and effect.put]
    folders = [path_of(session, effect) for effect in effects if isinstance(effect, MoveTo)]
    return TrailFrame(
        position=rule.position,
        rule_id=rule_id,
        name=rule.name,
        folder=folders[0] if folders else None,
        labels=json.dumps(labels),
        actions=json.dumps(action_trails(rule, event)),
        overruled=any(action_trail.overruled_by for action_trail in rule.actions),
    )
