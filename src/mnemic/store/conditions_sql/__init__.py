"""One answer in SQL for each condition: Find and the rehearsal both build on it.

An answer is exact, or its messages are candidates of which the core decides. A new kind of
condition adds a line to ``_ANSWERS``.
"""

from collections.abc import Callable
from typing import Any

from mnemic.core.fields import BaseCondition
from mnemic.core.fields.addressed import AddressedCondition
from mnemic.core.fields.addresses import AddressCondition
from mnemic.core.fields.age import AgeCondition
from mnemic.core.fields.attachments import AttachmentCondition, AttachmentTypeCondition
from mnemic.core.fields.contact import ContactCondition
from mnemic.core.fields.dates import DateCondition
from mnemic.core.fields.flags import FlagCondition
from mnemic.core.fields.header import NamedHeaderCondition
from mnemic.core.fields.kind import KindCondition
from mnemic.core.fields.mailing_list import ListCondition
from mnemic.core.fields.priority import PriorityCondition
from mnemic.core.fields.size import SizeCondition
from mnemic.core.fields.texts import TextCondition
from mnemic.core.fields.whereabouts import WhereaboutsCondition
from mnemic.store.conditions_sql import columns, people, texts
from mnemic.store.conditions_sql.answer import Answer, Asking, NotSearchableError

__all__ = ["Answer", "Asking", "NotSearchableError", "answer_to"]

_ANSWERS: dict[type[BaseCondition], Callable[[Any, Asking], Answer]] = {
    AddressCondition: people.addresses,
    TextCondition: texts.text,
    KindCondition: columns.kind,
    AttachmentCondition: texts.attachment,
    AttachmentTypeCondition: texts.attachment_type,
    ListCondition: texts.mailing_list,
    NamedHeaderCondition: texts.header,
    ContactCondition: people.contact,
    AddressedCondition: people.addressed,
    PriorityCondition: columns.priority,
    SizeCondition: columns.size,
    AgeCondition: columns.age,
    DateCondition: columns.day,
    WhereaboutsCondition: columns.whereabouts,
    FlagCondition: columns.flag,
}

#: Where nothing is known of a condition, every message is a candidate.
_UNKNOWN = Answer("1", to_parse="all")


def answer_to(condition: BaseCondition, asking: Asking) -> Answer:
    """Which messages the condition holds for.

    Raises NotSearchableError where that depends on circumstances that nobody says.
    """
    answer = _ANSWERS.get(type(condition))
    return _UNKNOWN if answer is None else answer(condition, asking)
