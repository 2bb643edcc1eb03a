"""Pinned examples: whether rules still take what they must, and leave what they must not take."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlmodel import Session

from mnemic.core import Given, Rule, take
from mnemic.core.evaluation.nearly import missing
from mnemic.core.evaluation.outcome import applies
from mnemic.core.rules.sentence import condition_saying
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.store.line.pins import Pin
from mnemic.store.line.rules import StoredRule
from mnemic.store.mail.message_views import StoredMessage, stored_messages

__all__ = ["Example", "broken_examples", "check_examples", "comes_first"]


@dataclass(frozen=True, slots=True)
class Example:
    """A pinned message, and what is wrong with it in words; empty where it is as it must be."""

    rule: StoredRule
    message: StoredMessage
    wanted: bool
    wrong: str


def comes_first(above: Rule, rule: Rule) -> bool:
    """Whether a rule above keeps a rule from placing what both take: it stops, or places it."""
    if not above.enabled or "arrival" not in above.runs:
        return False
    return above.stop or all(
        any(action.slot == "place" for action in which.then) for which in (above, rule)
    )


class _Checking:
    def __init__(self, session: Session, now: datetime) -> None:
        self._session, self._around = session, MailboxCircumstances(session, now)

    def _given(self, message: StoredMessage) -> Given:
        received = datetime.fromtimestamp(message.row.received_at, UTC)
        return Given(message.state, self._around.of(received, message.id))

    def wrong(
        self,
        line: Sequence[StoredRule],
        stored: StoredRule,
        message: StoredMessage,
        *,
        wanted: bool,
    ) -> str:
        """What is wrong with an example of a rule that stands where it does in the line."""
        given = self._given(message)
        tried = take(stored.rule, message, given)
        if not wanted:
            return "is taken" if tried.took else ""
        if not tried.took:
            missed = missing(tried)
            if missed is None or missed.condition.condition is None:
                return "is not taken"
            condition = condition_saying(missed.condition.condition)
            return (
                f"is kept out: {condition}"
                if missed.spared
                else f"is not taken, all but: {condition}"
            )
        for above in line[: line.index(stored)]:
            if not comes_first(above.rule, stored.rule):
                continue
            if (
                applies(above.rule, "arrival", given.state.account)
                and take(above.rule, message, given).took
            ):
                return f"is taken first by “{above.rule.name}”"
        return ""


def check_examples(
    session: Session,
    line: Sequence[StoredRule],
    pins: Mapping[int, Sequence[Pin]],
    *,
    now: datetime,
) -> list[Example]:
    """Every example of the rules of a line (that may only be thought of), as it would be."""
    checking = _Checking(session, now)
    wanted = {pin.message_id for rule in line for pin in pins.get(rule.id, ())}
    messages = {message.id: message for message in stored_messages(session, iter(sorted(wanted)))}
    return [
        Example(
            stored,
            messages[pin.message_id],
            pin.wanted,
            checking.wrong(line, stored, messages[pin.message_id], wanted=pin.wanted),
        )
        for stored in line
        for pin in pins.get(stored.id, ())
        if pin.message_id in messages
    ]


def broken_examples(
    session: Session,
    before: Sequence[StoredRule],
    after: Sequence[StoredRule],
    pins: Mapping[int, Sequence[Pin]],
    *,
    now: datetime,
) -> list[Example]:
    """The examples of rules that are on which a change of the line would break."""
    if not pins:
        return []
    broken = {
        (example.rule.id, example.message.id)
        for example in check_examples(session, before, pins, now=now)
        if example.wrong and example.rule.rule.enabled
    }
    return [
        example
        for example in check_examples(session, after, pins, now=now)
        if example.wrong
        and example.rule.rule.enabled
        and (example.rule.id, example.message.id) not in broken
    ]
