"""Carrying an outcome out: where a message goes, what becomes of it, and its trail."""

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlmodel import Session

from mnemic.core import Event, MessageView, Outcome
from mnemic.core.actions import (
    Action,
    ColourAction,
    FileAction,
    ForwardAction,
    LabelAction,
    MarkAction,
    NotifyAction,
    PlaceAction,
    PriorityAction,
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
    "claim_of",
    "column_set_by",
    "folder_set_by",
    "send_outside",
]

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


def folder_set_by(session: Session, action: Action, event: Event) -> str | None:
    """The path of the folder an action puts a message in; None: it stays where it is."""
    if isinstance(action, FileAction):
        return action.folder
    if not isinstance(action, PlaceAction) or (action.do == "keep" and event != "arrival"):
        return None
    return folder_paths(session)[folder_with_role(session, ROLE_OF_ACTION[action.do])]


def column_set_by(action: Action) -> tuple[str, Any] | None:
    """The column of a message that an action sets, and its value; None where it sets none."""
    match action:
        case MarkAction():
            return action.slot, action.sets
        case ColourAction():
            return "colour", action.colour
        case PriorityAction():
            return "priority", action.level
    return None


def claim_of(action: Action) -> str | None:
    """What an action claims, so that a later rule is overruled: a slot or a label; or nothing."""
    if isinstance(action, LabelAction | UnlabelAction):
        return f"label {action.label.casefold()}"
    return action.slot


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
