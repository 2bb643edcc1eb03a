"""Settled: mail that is already as a rule's actions would have it."""

from collections.abc import Callable
from typing import Any, TypeAlias

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
from mnemic.jobs.placing import ROLE_OF_ACTION
from mnemic.store.folders import folder_paths, folder_with_role
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
        found = [self._wanted(action) for action in rule.then]
        self._all = [each for each in found if each is not None]

    def of(self, span: Span) -> Mask:
        """The messages of a span that are as wanted."""
        found = self._masks.there(span)
        for wanted in self._all:
            found = found & wanted(span)
        return found

    def _wanted(self, action: Action) -> _Wanted | None:
        """How messages are that the action leaves alone; None where it changes no message."""
        match action:
            case FileAction():
                return self._in_folder(self._folder(action.folder))
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
        paths = folder_paths(self._session).items()
        return next((key for key, each in paths if each.casefold() == path.casefold()), 0)
