"""Condition fields: a slice each, with all that is known of it.

A new field is a slice of its own, or a line in one that it belongs to: its model, what it reads,
how it is said, what follows from it, and what people meet of it. It is listed below; the store
answers it in ``store.conditions_sql``. ``tests/test_catalogue.py`` names what was forgotten.
"""

from functools import reduce
from operator import or_
from typing import Annotated, Any, TypeAlias

from pydantic import BaseModel, Discriminator, GetCoreSchemaHandler, Tag
from pydantic_core import CoreSchema

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


def _kind_tag(value: Any) -> str | None:
    """Which kind a condition is. Tags stand in <>, so that error paths can leave them out."""
    if isinstance(value, BaseModel):
        return f"<{type(value).__name__}>"
    field = value.get("field") if isinstance(value, dict) else None
    kind = CONDITION_KINDS.get(field) if isinstance(field, str) else None
    return None if kind is None else f"<{kind.__name__}>"


class _OneOfTheFields:
    """Lets pydantic read a condition as the model of its field."""

    @staticmethod
    def __get_pydantic_core_schema__(
        source: type[Any], handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        del source
        kinds = dict.fromkeys(CONDITION_KINDS.values())
        tagged: Any = reduce(or_, (Annotated[kind, Tag(f"<{kind.__name__}>")] for kind in kinds))
        discriminator = Discriminator(
            _kind_tag, custom_error_type="not_a_test", custom_error_message="not a test"
        )
        return handler.generate_schema(Annotated[tagged, discriminator])


#: A condition on any of the fields.
Condition: TypeAlias = Annotated[BaseCondition, _OneOfTheFields]
