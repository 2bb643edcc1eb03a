"""Conditions: the model of each, and what each looks at in a message.

A new field touches this package alone: a name in the ``field`` of the kind it belongs to and what
it reads, or a new kind, listed below.
"""

from typing import Annotated, Any, TypeAlias, get_args

from pydantic import BaseModel, Discriminator, Tag

from mnemic.core.conditions.addresses import AddressCondition
from mnemic.core.conditions.choices import (
    AddressedCondition,
    ContactCondition,
    FlagCondition,
    KindCondition,
    PlaceCondition,
    PriorityCondition,
)
from mnemic.core.conditions.evidence import NOTHING_GIVEN, Evidence, Given
from mnemic.core.conditions.measures import AgeCondition, DateCondition, SizeCondition
from mnemic.core.conditions.texts import ListedTextCondition, NamedHeaderCondition, TextCondition

__all__ = ["CONDITION_KINDS", "NOTHING_GIVEN", "AnyCondition", "Condition", "Evidence", "Given"]

AnyCondition: TypeAlias = (
    AddressCondition
    | TextCondition
    | NamedHeaderCondition
    | ListedTextCondition
    | SizeCondition
    | DateCondition
    | AgeCondition
    | PriorityCondition
    | KindCondition
    | AddressedCondition
    | ContactCondition
    | FlagCondition
    | PlaceCondition
)


def _fields(kind: type[BaseModel]) -> tuple[str, ...]:
    return get_args(kind.model_fields["field"].annotation)


#: The kind of condition for each field.
CONDITION_KINDS: dict[str, type[AnyCondition]] = {
    field: kind for kind in get_args(AnyCondition) for field in _fields(kind)
}


def _kind_tag(value: Any) -> str | None:
    """Which kind a condition is. Tags stand in <>, so that error paths can leave them out."""
    if isinstance(value, BaseModel):
        return f"<{type(value).__name__}>"
    field = value.get("field") if isinstance(value, dict) else None
    kind = CONDITION_KINDS.get(field) if isinstance(field, str) else None
    return None if kind is None else f"<{kind.__name__}>"


Condition: TypeAlias = Annotated[
    Annotated[AddressCondition, Tag("<AddressCondition>")]
    | Annotated[TextCondition, Tag("<TextCondition>")]
    | Annotated[NamedHeaderCondition, Tag("<NamedHeaderCondition>")]
    | Annotated[ListedTextCondition, Tag("<ListedTextCondition>")]
    | Annotated[SizeCondition, Tag("<SizeCondition>")]
    | Annotated[DateCondition, Tag("<DateCondition>")]
    | Annotated[AgeCondition, Tag("<AgeCondition>")]
    | Annotated[PriorityCondition, Tag("<PriorityCondition>")]
    | Annotated[KindCondition, Tag("<KindCondition>")]
    | Annotated[AddressedCondition, Tag("<AddressedCondition>")]
    | Annotated[ContactCondition, Tag("<ContactCondition>")]
    | Annotated[FlagCondition, Tag("<FlagCondition>")]
    | Annotated[PlaceCondition, Tag("<PlaceCondition>")],
    Discriminator(_kind_tag, custom_error_type="not_a_test", custom_error_message="not a test"),
]
