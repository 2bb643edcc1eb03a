"""Settled: mail that is already as a rule's actions would have it."""

from typing import Any

import numpy as np
from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.actions import (
    ColourAction,
    CopyAction,
    FileAction,
    LabelAction,
    MarkAction,
    PlaceAction,
    PriorityAction,
    UnlabelAction,
)
from mnemic.jobs.placing import ROLE_OF_ACTION
from mnemic.store.folders import folder_paths, folder_with_role
from mnemic.store.labels import label_called
from mnemic.store.masks import Mask, Masks, Span

__all__ = ["settled"]

_LABELLED = "EXISTS (SELECT 1 FROM message_label WHERE message_id = m.id AND label_id = :label)"
_COPIED = "EXISTS (SELECT 1 FROM message AS c WHERE c.digest = m.digest AND c.folder_id = :folder)"


def settled(session: Session, rule: Rule, masks: Masks, span: Span) -> Mask:
    """The messages of a span about which the rule's actions would change nothing."""
    found = masks.there(span)
    for action in rule.then:
        found = found & _as_wanted(session, action, masks, span)
    return found


def _as_wanted(session: Session, action: Any, masks: Masks, span: Span) -> Mask:
    match action:
        case FileAction():
            return masks.in_folder(_folder(session, action.folder), span)
        case PlaceAction():
            return masks.in_folder(folder_with_role(session, ROLE_OF_ACTION[action.do]), span)
        case CopyAction():
            return masks.where(_COPIED, span, folder=_folder(session, action.folder))
        case LabelAction() | UnlabelAction():
            label = label_called(session, action.label) or 0
            bearing = masks.where(_LABELLED, span, label=label)
            return bearing if isinstance(action, LabelAction) else ~bearing
        case MarkAction():
            return masks.where(f"m.{action.slot} = :value", span, value=action.sets)
        case ColourAction():
            return masks.where("m.colour = :value", span, value=action.colour)
        case PriorityAction():
            return masks.where("m.priority = :value", span, value=action.level)
    return np.ones(span.high - span.low, np.bool_)  # what goes outside leaves mail as it is


def _folder(session: Session, path: str) -> int:
    """The folder at a path; 0, which is none, where it is still to be made."""
    paths = folder_paths(session).items()
    return next((key for key, each in paths if each.casefold() == path.casefold()), 0)
