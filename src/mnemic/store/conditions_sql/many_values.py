"""Conditions with many values, asked for in parts: SQLite's expressions are 1,000 levels deep."""

from collections.abc import Iterator

from mnemic.core.fields import BaseCondition

__all__ = ["has_many_values", "in_parts"]

#: Values of a condition that are asked for at a time.
_AT_ONCE = 200


def has_many_values(condition: BaseCondition) -> bool:
    """Whether a condition has more values than are asked for at a time."""
    return len(condition.values or ()) > _AT_ONCE


def in_parts(condition: BaseCondition) -> Iterator[BaseCondition]:
    """Conditions with a part of the values each, of which one holds where this one does."""
    values = condition.values or ()
    for begin in range(0, len(values), _AT_ONCE):
        yield condition.with_values(values[begin : begin + _AT_ONCE])
