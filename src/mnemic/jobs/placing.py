"""Carrying an outcome out: where a message goes, what becomes of it, and its trail."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlmodel import Session

from mnemic.core import Event, MessageView, Outcome
from mnemic.core.actions import FileAction, LabelAction, PlaceAction, ReplyAction
from mnemic.core.decision import reply_address
from mnemic.core.outcome import RuleTrail
from mnemic.jobs.excerpts import evidence_of
from mnemic.post.letters import forwarded, reply_to
from mnemic.store.folders import Role, ensure_folder, folder_paths, folder_with_role
from mnemic.store.posted import Posted, add_posted
from mnemic.store.trail import TrailEntry, add_entry

__all__ = [
    "ROLE_OF_ACTION",
    "Run",
    "Sender",
    "destination",
    "place_of",
    "send_outside",
    "slot_values",
    "write_trail",
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


@dataclass(frozen=True, slots=True)
class Run:
    """What a run knows beside the message: event, time (seconds since 1970) and rule ids."""

    event: Event
    at: int
    rule_ids: Mapping[int, int]  # by the rule's place in the line that was run


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


def destination(session: Session, outcome: Outcome) -> int | None:
    """The folder an outcome puts the message in, made where it is missing; None: it stays."""
    if outcome.folder is not None:
        return ensure_folder(session, outcome.folder)
    if outcome.place is None:
        return None
    return folder_with_role(session, _ROLE_OF_PLACE[outcome.place])


def slot_values(outcome: Outcome) -> dict[str, Any]:
    """The states that an outcome sets, by column."""
    values = {
        "seen": outcome.seen,
        "flagged": outcome.flagged,
        "colour": outcome.colour,
        "priority": outcome.priority,
    }
    return {column: value for column, value in values.items() if value is not None}


def _place(session: Session, rule: RuleTrail) -> str | None:
    """The path of the folder in which a rule placed the message, if it did."""
    for each in rule.actions:
        if each.overruled_by is not None:
            continue
        if isinstance(each.action, FileAction):
            return each.action.folder
        if isinstance(each.action, PlaceAction):
            return folder_paths(session)[folder_with_role(session, ROLE_OF_ACTION[each.action.do])]
    return None


def _entry(session: Session, message_id: int, rule: RuleTrail, run: Run) -> TrailEntry:
    acted = [each.action for each in rule.actions if each.overruled_by is None]
    actions = [
        {
            "action": each.action.model_dump(mode="json"),
            "overruled_by": each.overruled_by,
            "held_back": each.held_back,
        }
        for each in rule.actions
    ]
    return TrailEntry(
        message_id=message_id,
        rule_id=run.rule_ids[rule.position],
        rule_name=rule.name,
        event=run.event,
        at=run.at,
        folder=_place(session, rule),
        labels=tuple(action.label for action in acted if isinstance(action, LabelAction)),
        evidence=tuple(evidence_of(rule.when)),
        actions=json.dumps(actions),
    )


def write_trail(session: Session, message_id: int, outcome: Outcome, run: Run) -> None:
    """Write down what each rule that took the message did."""
    for rule in outcome.takers:
        add_entry(session, _entry(session, message_id, rule, run))


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
