"""Carrying an outcome out: where a message goes, what becomes of it, and its trail."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlmodel import Session

from mnemic.core import Event, MessageView, Outcome
from mnemic.core.actions import (
    Action,
    CopyAction,
    FileAction,
    ForwardAction,
    LabelAction,
    NotifyAction,
    PlaceAction,
    ReplyAction,
    UnlabelAction,
)
from mnemic.core.decision import reply_address
from mnemic.core.outcome import RuleTrail
from mnemic.post.letters import forwarded, reply_to
from mnemic.store.folders import Role, folder_paths, folder_with_role
from mnemic.store.posted import Posted, add_posted

__all__ = [
    "ROLE_OF_ACTION",
    "Sender",
    "action_trails",
    "owners_of",
    "place_of",
    "placed_in",
    "send_outside",
    "slot_values",
]

_ROLE_OF_PLACE: dict[str, Role] = {
    "inbox": "inbox",
    "archive": "archive",
    "trash": "trash",
    "erased": "erased",
}
#: Where each placing action puts a message.
ROLE_OF_ACTION: dict[str, Role] = {
    "keep": "inbox",
    "archive": "archive",
    "trash": "trash",
    "erase": "erased",
}

#: RFC 3834, section 3.1.5: what an automatic reply's subject begins with.
_REPLY_LEAD = "Auto: "


#: What goes outside, or is heard; and why that is not done for mail that came in long ago.
_OUTGOING = (ForwardAction, NotifyAction, ReplyAction)
_OLD_MAIL = "only mail that comes in or goes out is forwarded, answered or heard"


@dataclass(frozen=True, slots=True)
class Sender:
    """In whose name a message is forwarded or answered, its id and its octets."""

    address: str
    message_id: int
    octets: bytes


def place_of(session: Session, outcome: Outcome) -> str | None:
    """The path of the folder an outcome puts the message in; None: it stays where it is."""
    if outcome.folder is not None:
        return outcome.folder
    if outcome.place is None:
        return None
    return folder_paths(session)[folder_with_role(session, _ROLE_OF_PLACE[outcome.place])]


def slot_values(outcome: Outcome) -> dict[str, Any]:
    """The states that an outcome sets, by column."""
    values = {
        "seen": outcome.seen,
        "flagged": outcome.flagged,
        "colour": outcome.colour,
        "priority": outcome.priority,
    }
    return {column: value for column, value in values.items() if value is not None}


def owners_of(outcome: Outcome, rule_ids: Mapping[int, int]) -> dict[str, int]:
    """Whose doing it is what an outcome sets: by slot, "label …" or "copy …", a rule's id."""
    found: dict[str, int] = {}
    for rule in outcome.takers:
        for each in rule.actions:
            if each.overruled_by is None and (key := _owned(each.action)) is not None:
                found.setdefault(key, rule_ids[rule.position])
    return found


def _owned(action: Action) -> str | None:
    if isinstance(action, CopyAction):
        return f"copy {action.folder.casefold()}"
    if isinstance(action, LabelAction | UnlabelAction):
        return f"label {action.label.casefold()}"
    return action.slot


def placed_in(session: Session, rule: RuleTrail) -> str | None:
    """The path of the folder in which a rule placed the message, if it did."""
    for each in rule.actions:
        if each.overruled_by is not None:
            continue
        if isinstance(each.action, FileAction):
            return each.action.folder
        if isinstance(each.action, PlaceAction):
            return folder_paths(session)[folder_with_role(session, ROLE_OF_ACTION[each.action.do])]
    return None


def action_trails(rule: RuleTrail, event: Event) -> list[dict[str, Any]]:
    """What became of each action of a rule, as the trail keeps it."""
    goes_out = event in ("arrival", "sent")
    return [
        {
            "action": each.action.model_dump(mode="json"),
            "overruled_by": each.overruled_by,
            "held_back": each.held_back
            if goes_out or not isinstance(each.action, _OUTGOING)
            else _OLD_MAIL,
        }
        for each in rule.actions
    ]


def _reply(outcome: Outcome) -> tuple[str, ReplyAction] | None:
    """The rule that answers, and what it answers."""
    for rule in outcome.takers:
        for each in rule.actions:
            if isinstance(each.action, ReplyAction) and each.held_back is None:
                return rule.name, each.action
    return None


def _forwarding_rule(outcome: Outcome, recipient: str) -> str:
    return next(
        rule.name
        for rule in outcome.takers
        for each in rule.actions
        if recipient in getattr(each.action, "to", ())
    )


def send_outside(
    session: Session, message: MessageView, outcome: Outcome, sender: Sender, at: int
) -> None:
    """Put the outcome's forwards and its reply where what goes outside is kept."""
    moment = datetime.fromtimestamp(at, UTC)
    subject = message.subject or ""
    common = {"at": at, "message_id": sender.message_id, "sender": sender.address}
    for recipient in outcome.forward:
        octets = forwarded(sender.octets, sender=sender.address, recipient=recipient, at=moment)
        rule = _forwarding_rule(outcome, recipient)
        what = {"kind": "forward", "recipient": recipient, "subject": subject, "octets": octets}
        add_posted(session, Posted(rule_name=rule, **what, **common))  # type: ignore[arg-type] # fields by name
    found = _reply(outcome) if outcome.reply else None
    recipient_of_reply = reply_address(message)
    if found is None or recipient_of_reply is None:
        return
    rule, action = found
    answer = action.subject or f"{_REPLY_LEAD}{subject}"
    octets = reply_to(
        sender=sender.address,
        recipient=recipient_of_reply,
        subject=answer,
        text=action.text,
        at=moment,
        message_id=getattr(message, "message_id", None),
    )
    what = {"kind": "reply", "recipient": recipient_of_reply, "subject": answer, "octets": octets}
    add_posted(session, Posted(rule_name=rule, **what, **common))  # type: ignore[arg-type] # fields by name
