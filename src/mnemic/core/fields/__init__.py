"""Condition fields: a slice each, with all that is known of it.

A new field is a slice of its own, or a line in one that it belongs to: its model, what it reads,
how it is said, what follows from it, and what people meet of it. It is listed below; the store
answers it in ``store.conditions_sql``. ``tests/test_catalogue.py`` names what was forgotten.
"""

from typing import Annotated, TypeAlias

from mnemic.core.fields import (
    addressed,
    addresses,
    age,
    attachments,
    contact,
    dates,
    flags,
    header,
    kind,
    mailing_list,
    priority,
    size,
    texts,
    whereabouts,
)
from mnemic.core.fields.condition import NOTHING_GIVEN, BaseCondition, Evidence, Given
from mnemic.core.fields.field import Field
from mnemic.core.one_of import OneOf

__all__ = [
    "CONDITION_KINDS",
    "FIELDS",
    "NOTHING_GIVEN",
    "BaseCondition",
    "Condition",
    "Evidence",
    "Field",
    "Given",
]

#: Every condition field by its name, in the order in which people are offered them.
FIELDS: dict[str, Field] = {
    field.name: field
    for slice_ in (
        addresses,
        texts,
        kind,
        attachments,
        mailing_list,
        header,
        contact,
        addressed,
        priority,
        size,
        age,
        dates,
        whereabouts,
        flags,
    )
    for field in slice_.FIELDS
}

#: The kind of condition for each field.
CONDITION_KINDS: dict[str, type[BaseCondition]] = {
    name: field.condition for name, field in FIELDS.items()
}

#: A condition on any of the fields.
Condition: TypeAlias = Annotated[
    BaseCondition, OneOf(CONDITION_KINDS, key="field", error="not_a_test")
]
