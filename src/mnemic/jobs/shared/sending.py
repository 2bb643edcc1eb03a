"""What an outcome sends outside, and what the trail says became of each action."""

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlmodel import Session

from mnemic.core import Event, MessageView, Outcome
from mnemic.core.actions import ReplyAction, reply_address
from mnemic.core.evaluation.outcome import ActedRule, RuleTrail
from mnemic.post.letters import forwarded, reply_to
from mnemic.store.mail.outbox import Posted, add_posted

__all__ = [
    "Sender",
    "action_trails",
    "send_outside",
]

#: RFC 3834, section 3.1.5: what an automatic reply's subject begins with.
_REPLY_LEAD = "Auto: "


#: Why nothing goes outside, or is heard, for mail that came in long ago.
_OLD_MAIL = "only mail that comes in or goes out is forwarded, answered or heard"


@dataclass(frozen=True, slots=True)
class Sender:
    """In whose name a message is forwarded or answered, its id and its octets.

    Its letters wait for the account's submission server from ``since`` on; without, they are kept.
    """

    address: str
    message_id: int
    octets: bytes
    account_id: int | None = None
    since: int | None = None


def action_trails(rule: RuleTrail | ActedRule, event: Event) -> list[dict[str, Any]]:
    """What became of each action of a rule, as the trail keeps it."""
    goes_out = event in ("arrival", "sent")
    return [
        {
            "action": action.action.model_dump(mode="json"),
            "overruled_by": action.overruled_by,
            "held_back": action.held_back if goes_out or not action.action.goes_out else _OLD_MAIL,
        }
        for action in rule.actions
    ]


def _reply(outcome: Outcome) -> tuple[str, ReplyAction] | None:
    """The rule that answers, and what it answers."""
    for rule in outcome.takers:
        for action in rule.actions:
            if isinstance(action.action, ReplyAction) and action.held_back is None:
                return rule.name, action.action
    return None


def _forwarding_rule(outcome: Outcome, recipient: str) -> str:
    return next(
        rule.name
        for rule in outcome.takers
        for action in rule.actions
        if recipient in getattr(action.action, "to", ())
    )


def send_outside(
    session: Session, message: MessageView, outcome: Outcome, sender: Sender, at: int
) -> None:
    """Put the outcome's forwards and its reply where what goes outside is kept."""
    moment = datetime.fromtimestamp(at, UTC)
    subject = message.subject or ""
    common = {
        "at": at,
        "message_id": sender.message_id,
        "sender": sender.address,
        "account_id": sender.account_id,
        "since": sender.since,
    }
    for recipient in outcome.forward:
        octets = forwarded(sender.octets, sender=sender.address, recipient=recipient, at=moment)
        rule = _forwarding_rule(outcome, recipient)
        what = {"kind": "forward", "recipient": recipient, "subject": subject, "octets": octets}
        add_posted(session, Posted(rule_name=rule, **what, **common))  # type: ignore[arg-type] # fields by name
    reply = _reply(outcome) if outcome.reply else None
    recipient_of_reply = reply_address(message)
    if reply is None or recipient_of_reply is None:
        return
    rule, action = reply
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
