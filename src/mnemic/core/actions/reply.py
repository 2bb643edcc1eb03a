"""The action ``reply``: an automatic answer (RFC 3834, RFC 5230), and what holds it back."""

from collections.abc import Sequence
from datetime import timedelta
from typing import Annotated, ClassVar, Literal

from pydantic import AfterValidator, Field, StrictInt, StringConstraints

from mnemic.core.actions.action import ActionKind, BaseAction
from mnemic.core.actions.decision import Decision
from mnemic.core.bounds import MOST_REPLY, MOST_VALUE
from mnemic.core.canonical import canonical_address
from mnemic.core.errors import at_most, plain_name, plain_text
from mnemic.core.events import Event
from mnemic.core.message import MessageView
from mnemic.core.wording import Phrase

__all__ = ["ACTIONS", "ReplyAction", "reply_address"]

#: RFC 5230, section 4.6, and RFC 3834, section 2: mail that is sent to many is not answered.
_MASS_PRECEDENCE = frozenset({"bulk", "junk", "list"})

#: Days between two answers to one sender where nothing is said (RFC 5230, section 4.1).
_USUAL_DAYS = 7


def reply_address(message: MessageView) -> str | None:
    """Where an automatic answer goes: the return path, else From (RFC 3834, section 4)."""
    if message.envelope.sender is not None:
        return canonical_address(message.envelope.sender) if message.envelope.sender else None
    senders = message.addresses.get("from", ())
    return senders[0].canonical if senders else None


class ReplyAction(BaseAction):
    """Answer the sender, at most once in ``every`` days."""

    do: Literal["reply"]
    text: Annotated[
        str, StringConstraints(min_length=1), at_most(MOST_REPLY), AfterValidator(plain_text)
    ]
    subject: (
        Annotated[
            str, StringConstraints(min_length=1), at_most(MOST_VALUE), AfterValidator(plain_name)
        ]
        | None
    ) = None
    every: Annotated[StrictInt, Field(ge=1, le=3650)] = _USUAL_DAYS

    goes_out: ClassVar = True

    def decide(self, decision: Decision) -> str | None:
        """One answer, where none could loop or annoy."""
        reason = self._held_back(decision)
        if reason is None:
            decision.reply = True
        return reason

    def _held_back(self, decision: Decision) -> str | None:
        """Why an answer could loop or annoy (RFC 3834, section 2; RFC 5230), or None."""
        message = decision.message
        kind = message.kind
        if kind.name not in ("personal", "invitation"):
            return f"it is automatic mail: {kind.reason}"
        for value in message.header("precedence"):
            if value.strip().lower() in _MASS_PRECEDENCE:
                return f"it was sent to many: Precedence: {value.strip()}"
        sender = reply_address(message)
        if sender is None:
            return "there is no address to answer to"
        circumstances = decision.given.circumstances
        last = circumstances.answered.get(sender)
        if last is not None and circumstances.now - last < timedelta(days=self.every):
            return f"{sender} had an answer less than {self.every} days ago"
        return None

    def outdone_by(self, earlier: BaseAction) -> bool:
        """It was answered, by a rule that answers as often."""
        return isinstance(earlier, ReplyAction) and earlier.every <= self.every

    def phrases(self, runs: Sequence[Event] = ("arrival",)) -> list[Phrase]:
        """The order."""
        del runs
        once = "once a day" if self.every == 1 else f"once in {self.every} days"
        lead = f"answer it, at most {once} to one sender, with "
        return [Phrase(lead), Phrase(f"“{self.text}”", strong=True)]

    def deed(self) -> str:
        """The deed."""
        return "answered"


ACTIONS = (
    ActionKind(
        "reply",
        ReplyAction,
        "answer",
        "Answer it",
        {"text": "", "subject": None, "every": _USUAL_DAYS},
        needs=("text",),
        input="answer",
    ),
)
