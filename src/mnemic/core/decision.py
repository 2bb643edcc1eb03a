"""What the actions of the rules that took a message come to, and what is held back from loops."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any, Literal, TypeAlias

from mnemic.core.actions import (
    Action,
    ColourAction,
    ColourName,
    CopyAction,
    FileAction,
    ForwardAction,
    LabelAction,
    MarkAction,
    NotifyAction,
    PlaceAction,
    PriorityAction,
    ReplyAction,
    Slot,
    UnlabelAction,
)
from mnemic.core.canonical import canonical_address
from mnemic.core.conditions import Given
from mnemic.core.message import MessageView, Priority

__all__ = ["FORWARD_MARK", "ActionTrail", "Decision", "Place", "reply_address"]

Place: TypeAlias = Literal["inbox", "folder", "archive", "trash", "erased"]

#: The header field a forwarded message carries, with the address it was forwarded for.
FORWARD_MARK = "X-Mnemic-Forwarded-For"

_PLACES: dict[str, Place] = {
    "keep": "inbox",
    "archive": "archive",
    "trash": "trash",
    "erase": "erased",
}

#: RFC 5230, section 4.6, and RFC 3834, section 2: mail that is sent to many is not answered.
_MASS_PRECEDENCE = frozenset({"bulk", "junk", "list"})


_LABELLING = (LabelAction, UnlabelAction)  # a tuple is asked five times faster than a union


@dataclass(frozen=True, slots=True)
class ActionTrail:
    """An action of a rule that took the message.

    ``overruled_by`` is the name of the rule that had set the slot or the label before;
    ``held_back`` says why a forward or a reply is not sent.
    """

    action: Action
    overruled_by: str | None = None
    held_back: str | None = None


def reply_address(message: MessageView) -> str | None:
    """Where an automatic answer goes: the return path, else From (RFC 3834, section 4)."""
    if message.envelope.sender is not None:
        return canonical_address(message.envelope.sender) if message.envelope.sender else None
    senders = message.addresses.get("from", ())
    return canonical_address(senders[0]) if senders else None


class Decision:
    """Collects what actions come to, rule by rule; what was set first stays."""

    def __init__(self, message: MessageView, given: Given) -> None:
        self._message, self._given = message, given
        self._slots: dict[Slot, str] = {}
        self._label_owners: dict[str, str] = {}
        self.place: Place | None = None
        self.folder: str | None = None
        self.copies: list[str] = []
        self.labels: list[str] = []
        self.unlabels: list[str] = []
        self.seen: bool | None = None
        self.flagged: bool | None = None
        self.colour: ColourName | None = None
        self.priority: Priority | None = None
        self.forward: list[str] = []
        self.reply: ReplyAction | None = None
        self.notify: list[str] = []

    def act(self, name: str, actions: Sequence[Action]) -> tuple[ActionTrail, ...]:
        """Let the rule called ``name`` do its actions; what became of each."""
        return tuple(self._one(name, action) or ActionTrail(action) for action in actions)

    def act_silently(self, name: str, actions: Sequence[Action]) -> None:
        """The same where nobody asks for the trail."""
        for action in actions:
            self._one(name, action)

    def _one(self, name: str, action: Action) -> ActionTrail | None:
        """Do one action; a trail only where something kept it from being done."""
        if isinstance(action, _LABELLING):
            return self._label(name, action)
        slot = action.slot
        if slot is not None:
            winner = self._slots.get(slot)
            if winner is not None:
                return ActionTrail(action, overruled_by=winner)
            self._slots[slot] = name
        return _ACTS[type(action)](self, action)

    def _label(self, name: str, action: LabelAction | UnlabelAction) -> ActionTrail | None:
        key = action.label.casefold()
        if key in self._label_owners:
            return ActionTrail(action, overruled_by=self._label_owners[key])
        self._label_owners[key] = name
        (self.labels if isinstance(action, LabelAction) else self.unlabels).append(action.label)
        return None

    def _file(self, action: FileAction) -> None:
        self.place, self.folder = "folder", action.folder

    def _place(self, action: PlaceAction) -> None:
        self.place = _PLACES[action.do]

    def _mark(self, action: MarkAction) -> None:
        if action.slot == "seen":
            self.seen = action.sets
        else:
            self.flagged = action.sets

    def _colour(self, action: ColourAction) -> None:
        self.colour = action.colour

    def _priority(self, action: PriorityAction) -> None:
        self.priority = action.level

    def _copy(self, action: CopyAction) -> None:
        if action.folder.casefold() not in map(str.casefold, self.copies):
            self.copies.append(action.folder)

    def _notify(self, action: NotifyAction) -> None:
        sound = action.sound or "default"
        if sound not in self.notify:
            self.notify.append(sound)

    def _forward(self, action: ForwardAction) -> ActionTrail | None:
        me = self._given.circumstances.me
        marks = {canonical_address(mark) for mark in self._message.header(FORWARD_MARK)}
        if not marks.isdisjoint(me):
            return ActionTrail(action, held_back="it was forwarded for you once already")
        there = set(map(canonical_address, self.forward))
        for address in action.to:
            if canonical_address(address) not in there:
                self.forward.append(address)
                there.add(canonical_address(address))
        return None

    def _reply(self, action: ReplyAction) -> ActionTrail | None:
        reason = self._no_reply_since(action)
        if reason is not None:
            return ActionTrail(action, held_back=reason)
        self.reply = self.reply or action
        return None

    def _no_reply_since(self, action: ReplyAction) -> str | None:
        """Why an answer could loop or annoy (RFC 3834, section 2; RFC 5230), or None."""
        message = self._message
        kind = message.kind
        if kind.name not in ("personal", "invitation"):
            return f"it is automatic mail: {kind.reason}"
        for value in message.header("precedence"):
            if value.strip().lower() in _MASS_PRECEDENCE:
                return f"it was sent to many: Precedence: {value.strip()}"
        sender = reply_address(message)
        if sender is None:
            return "there is no address to answer to"
        circumstances = self._given.circumstances
        last = circumstances.answered.get(sender)
        if last is not None and circumstances.now - last < timedelta(days=action.every):
            return f"{sender} had an answer less than {action.every} days ago"
        return None


_ACTS: dict[type, Callable[[Decision, Any], ActionTrail | None]] = {
    FileAction: Decision._file,
    PlaceAction: Decision._place,
    MarkAction: Decision._mark,
    ColourAction: Decision._colour,
    PriorityAction: Decision._priority,
    CopyAction: Decision._copy,
    NotifyAction: Decision._notify,
    ForwardAction: Decision._forward,
    ReplyAction: Decision._reply,
}
