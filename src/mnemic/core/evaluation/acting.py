"""Actions of rules that took a message, one after the other: what was claimed first stays."""

from collections.abc import Sequence
from dataclasses import dataclass

from mnemic.core.actions import BaseAction
from mnemic.core.actions.decision import Decision

__all__ = ["ActionTrail", "act", "act_silently"]


@dataclass(frozen=True, slots=True)
class ActionTrail:
    """An action of a rule that took the message.

    ``overruled_by`` is the name of the rule that had made the same claim before;
    ``held_back`` says why a forward or a reply is not sent.
    """

    action: BaseAction
    overruled_by: str | None = None
    held_back: str | None = None


def act(decision: Decision, name: str, actions: Sequence[BaseAction]) -> tuple[ActionTrail, ...]:
    """Do the actions of the rule called ``name``; returns what became of each."""
    return tuple(_one(decision, name, action) or ActionTrail(action) for action in actions)


def act_silently(decision: Decision, name: str, actions: Sequence[BaseAction]) -> None:
    """The same as ``act``, without the trail."""
    for action in actions:
        _one(decision, name, action)


def _one(decision: Decision, name: str, action: BaseAction) -> ActionTrail | None:
    """Do one action; a trail only where something kept it from being done."""
    claim = action.claim
    if claim is not None:
        winner = decision.claimed_by.get(claim)
        if winner is not None:
            return ActionTrail(action, overruled_by=winner)
        decision.claimed_by[claim] = name
    held_back = action.decide(decision)
    return None if held_back is None else ActionTrail(action, held_back=held_back)
