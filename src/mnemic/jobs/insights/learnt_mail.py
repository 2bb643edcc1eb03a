"""The mailbox as rules are learnt from it: what conditions take, as sets of messages."""

from collections.abc import Callable, Sequence
from datetime import datetime

import numpy as np
from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.fields import BaseCondition
from mnemic.core.proposals import StandingRule, Trait, traits_of
from mnemic.core.proposals.message_set import MessageSet, ids_in
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.misses import Misses, taken_by_rule
from mnemic.store.line.rules import list_rules
from mnemic.store.mail.message_views import stored_messages
from mnemic.store.owner.accounts import my_addresses
from mnemic.store.search.masks import IdRange, Mask, Masks

__all__ = ["MailboxMail"]


def _set_of(mask: Mask) -> MessageSet:
    """A set from a mask whose first position is the message with id 1."""
    bits = np.concatenate([np.zeros(1, np.bool_), mask])
    return int.from_bytes(np.packbits(bits, bitorder="little").tobytes(), "little")


class MailboxMail:
    """All mail of the mailbox, erased mail left out (``core.proposals.LearntMail``)."""

    def __init__(
        self, session: Session, now: datetime, check: Callable[[], None] = lambda: None
    ) -> None:
        self._session, self._check = session, check
        around = MailboxCircumstances(session, now)
        self._masks = Masks(session, around.of(now), check)
        self._range = IdRange(0, self._masks.top)
        self._there = self._masks.there(self._range)
        self._me = frozenset(my_addresses(around.accounts))
        self._traits: dict[int, frozenset[Trait]] = {}
        self.there = _set_of(self._there)

    def holding(self, condition: BaseCondition) -> MessageSet:
        """The messages for which a condition holds."""
        return _set_of(self._masks.of(condition, self._range) & self._there)

    def since_first_of(self, messages: MessageSet) -> MessageSet:
        """The messages received since the earliest of these."""
        first = min(map(self.received, ids_in(messages & self.there)), default=None)
        if first is None:
            return 0
        return _set_of(self._masks.received_since(first, self._range) & self._there)

    def received(self, message_id: int) -> int:
        """When a message was received, in seconds since 1970-01-01 UTC."""
        return self._masks.received(message_id)

    def traits(self, messages: Sequence[int]) -> dict[int, frozenset[Trait]]:
        """By message, what it can be told by."""
        unknown = [key for key in messages if key not in self._traits]
        for message in stored_messages(self._session, iter(unknown)):
            self._traits[message.id] = traits_of(message, self._me)
        return {key: self._traits[key] for key in messages if key in self._traits}

    def standing(self) -> list[StandingRule]:
        """The rules of the line that are on for mail that arrives, each with what it takes."""
        misses = Misses.within(self._masks, self._range)
        rules = [stored.rule for stored in list_rules(self._session)]
        return [StandingRule(each, self._taken(misses, each)) for each in rules if _runs(each)]

    def _taken(self, misses: Misses, rule: Rule) -> MessageSet:
        self._check()
        return _set_of(taken_by_rule(self._session, self._masks, misses, rule, self._range))


def _runs(rule: Rule) -> bool:
    return rule.enabled and "arrival" in rule.runs
