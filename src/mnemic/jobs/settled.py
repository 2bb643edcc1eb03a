"""Settled: mail that is already as a rule's actions would have it."""

from collections.abc import Callable, Mapping
from typing import Any, TypeAlias

import numpy as np
from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.actions import (
    Action,
    ColourAction,
    CopyAction,
    FileAction,
    LabelAction,
    MarkAction,
    PlaceAction,
    PriorityAction,
    UnlabelAction,
)
from mnemic.jobs.placing import ROLE_OF_ACTION, claim_of
from mnemic.store.folders import folder_at, folder_with_role
from mnemic.store.labels import label_called
from mnemic.store.masks import Mask, Masks, Span

__all__ = ["Settled"]

_LABELLED = "EXISTS (SELECT 1 FROM message_label WHERE message_id = m.id AND label_id = :label)"
_COPIED = "EXISTS (SELECT 1 FROM message AS c WHERE c.digest = m.digest AND c.folder_id = :folder)"

_Wanted: TypeAlias = Callable[[Span], Mask]


class Settled:
    """Tells of which messages a rule's actions would change nothing."""

    def __init__(self, session: Session, rule: Rule, masks: Masks) -> None:
        self._session, self._masks = session, masks
        found = [(claim_of(action), self._wanted(action)) for action in rule.then]
        self._all = [(claim, wanted) for claim, wanted in found if wanted is not None]

    def of(self, span: Span) -> Mask:
        """The messages of a span that are as wanted."""
        found = self._masks.there(span)
        for _, wanted in self._all:
            found = found & wanted(span)
        return found

    def changed(self, span: Span, overruled: Mapping[str, Mask]) -> Mask:
        """The messages about which something changes, but for claims that are overruled."""
        found = np.zeros(span.high - span.low, np.bool_)
        for claim, wanted in self._all:
            changed = ~wanted(span)
            if claim is not None and claim in overruled:
                changed &= ~overruled[claim]
            found |= changed
        return found

    def moved(self, span: Span) -> Mask:
        """The messages that are elsewhere than the rule puts them."""
        found = np.zeros(span.high - span.low, np.bool_)
        for claim, wanted in self._all:
            if claim == "place":
                found |= ~wanted(span)
        return found

    def _wanted(self, action: Action) -> _Wanted | None:
        """How messages are that the action leaves alone; None where it changes no message."""
        match action:
            case FileAction():
                return self._in_folder(self._folder(action.folder))
            case PlaceAction(do="keep"):
                return None  # it stays where it is
            case PlaceAction():
                return self._in_folder(folder_with_role(self._session, ROLE_OF_ACTION[action.do]))
            case CopyAction():
                return self._where(_COPIED, folder=self._folder(action.folder))
            case LabelAction() | UnlabelAction():
                label = label_called(self._session, action.label) or 0
                wanted = _LABELLED if isinstance(action, LabelAction) else f"NOT {_LABELLED}"
                return self._where(wanted, label=label)
            case MarkAction():
                return self._where(f"m.{action.slot} = :value", value=action.sets)
            case ColourAction():
                return self._where("m.colour = :value", value=action.colour)
            case PriorityAction():
                return self._where("m.priority = :value", value=action.level)
        return None

    def _in_folder(self, folder_id: int) -> _Wanted:
        return lambda span: self._masks.in_folder(folder_id, span)

    def _where(self, expression: str, **parameters: Any) -> _Wanted:
        return lambda span: self._masks.where(expression, span, **parameters)

    def _folder(self, path: str) -> int:
        """The folder at a path; 0, which is none, where it is still to be made."""
        return folder_at(self._session, path) or 0
