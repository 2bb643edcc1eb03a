"""The mailbox as rules are learnt from it: what conditions take, as sets of messages."""

from collections.abc import Callable, Sequence
from datetime import datetime
from functools import cached_property, partial
from typing import TypeGuard

import numpy as np
from sqlmodel import Session

from mnemic.core import Given, MessageState, Rule
from mnemic.core.fields import BaseCondition
from mnemic.core.fields.texts import TextCondition
from mnemic.core.proposals import Attached, StandingRule, Trait, traits_of
from mnemic.core.proposals.message_set import MessageSet, ids_in
from mnemic.jobs.insights.few_values import FewValues
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.misses import Misses, taken_by_rule
from mnemic.store.conditions_sql.ids import Ids
from mnemic.store.line.rules import list_rules
from mnemic.store.mail.attachment_types import attached_to_messages
from mnemic.store.mail.message_views import stored_messages
from mnemic.store.owner.accounts import my_addresses
from mnemic.store.search.masks import IdRange, Mask, Masks
from mnemic.store.search.subject_phrases import SubjectPhrases

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
        circumstances = around.of(now)
        self._masks = Masks(session, circumstances, check)
        self._few_values = FewValues(session, Given(MessageState(), circumstances))
        self._range = IdRange(0, self._masks.top)
        self._there = self._masks.there(self._range)
        self._me = frozenset(my_addresses(around.accounts))
        self._traits: dict[int, frozenset[Trait]] = {}
        self._held: dict[BaseCondition, MessageSet] = {}
        self.there = _set_of(self._there)

    def set_of(self, ids: Ids) -> MessageSet:
        """The set of these messages."""
        mask = np.zeros(self._range.size, np.bool_)
        mask[ids - 1] = True
        return _set_of(mask)

    def holding(self, conditions: Sequence[BaseCondition]) -> list[MessageSet]:
        """The messages for which each condition holds."""
        self._know_words([unknown for unknown in conditions if unknown not in self._held])
        return [self._holding(condition) for condition in conditions]

    def _holding(self, condition: BaseCondition) -> MessageSet:
        held = self._held.get(condition)
        if held is None:
            self._check()
            held = _set_of(self._mask(condition) & self._there)
            self._held[condition] = held
        return held

    def _mask(self, condition: BaseCondition) -> Mask:
        several = self._few_values.messages(condition)
        if several is None:
            return self._masks.of(condition, self._range)
        mask = np.zeros(self._range.size, np.bool_)
        for ids in several:
            mask[ids - 1] = True
        return mask

    @cached_property
    def _subjects(self) -> SubjectPhrases:
        return SubjectPhrases(self._session)

    def _know_words(self, conditions: Sequence[BaseCondition]) -> None:
        """Look for all phrases of subjects at once."""
        phrases = {
            condition.comparable_values[0]: condition
            for condition in conditions
            if _is_phrase(condition)
        }
        if not phrases:
            return
        self._check()
        for phrase, ids in self._subjects.with_words(phrases).items():
            self._held[phrases[phrase]] = self.set_of(ids) & self.there

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
        """The traits of each message, by message."""
        unknown = [key for key in messages if key not in self._traits]
        attached = attached_to_messages(self._session, unknown)
        for message in stored_messages(self._session, iter(unknown)):
            known = attached.get(message.id) if message.row.attachments else Attached()
            self._traits[message.id] = traits_of(message, self._me, known)
        return {key: self._traits[key] for key in messages if key in self._traits}

    def standing(self) -> list[StandingRule]:
        """The rules of the line that are on for mail that arrives, each with what it takes."""
        rules = [stored.rule for stored in list_rules(self._session)]
        return [StandingRule(rule, partial(self._taken, rule)) for rule in rules if _runs(rule)]

    def _taken(self, rule: Rule) -> MessageSet:
        self._check()
        misses = Misses.within(self._masks, self._range)  # for each rule alone: it remembers all
        return _set_of(taken_by_rule(self._session, self._masks, misses, rule, self._range))


def _is_phrase(condition: BaseCondition) -> TypeGuard[TextCondition]:
    """Whether a condition asks for one phrase in a subject, as whole words."""
    return (
        isinstance(condition, TextCondition)
        and condition.field == "subject"
        and condition.test == "words"
        and not condition.is_exact
        and len(condition.comparable_values) == 1
    )


def _runs(rule: Rule) -> bool:
    return rule.enabled and "arrival" in rule.runs
