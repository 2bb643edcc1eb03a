"""Actions: a slice each, with all that is known of it.

A new action is a slice of its own, or a line in one that it belongs to: its model, its claim, what
it decides, what it does to a message, how it is said, and what outdoes it. It is listed below;
whoever carries out its kind of effect carries it out. ``tests/test_action_catalogue.py`` names what
was forgotten.
"""

from typing import Annotated, TypeAlias

from mnemic.core.actions import (
    colour,
    copies,
    forward,
    labels,
    marks,
    notify,
    placing,
    priority,
    reply,
)
from mnemic.core.actions.action import ActionKind, BaseAction, Slot
from mnemic.core.actions.colour import ColourAction, ColourName
from mnemic.core.actions.copies import CopyAction
from mnemic.core.actions.forward import FORWARD_MARK, ForwardAction
from mnemic.core.actions.labels import LabelAction, UnlabelAction
from mnemic.core.actions.marks import MarkAction
from mnemic.core.actions.notify import NotifyAction
from mnemic.core.actions.placing import FileAction, PlaceAction
from mnemic.core.actions.priority import PriorityAction
from mnemic.core.actions.reply import ReplyAction, reply_address
from mnemic.core.one_of import OneOf

__all__ = [
    "ACTIONS",
    "ACTION_KINDS",
    "FORWARD_MARK",
    "Action",
    "BaseAction",
    "ColourAction",
    "ColourName",
    "CopyAction",
    "FileAction",
    "ForwardAction",
    "LabelAction",
    "MarkAction",
    "NotifyAction",
    "PlaceAction",
    "PriorityAction",
    "ReplyAction",
    "Slot",
    "UnlabelAction",
    "reply_address",
]

#: Every action by its name in ``do``, in the order in which people are offered them.
ACTION_KINDS: dict[str, ActionKind] = {
    kind.name: kind
    for slice_ in (
        placing,
        marks,
        colour,
        priority,
        copies,
        labels,
        forward,
        reply,
        notify,
    )
    for kind in slice_.ACTIONS
}

#: The model of each action.
ACTIONS: dict[str, type[BaseAction]] = {name: kind.model for name, kind in ACTION_KINDS.items()}

#: Any of the actions.
Action: TypeAlias = Annotated[BaseAction, OneOf(ACTIONS, key="do", error="not_an_action")]
