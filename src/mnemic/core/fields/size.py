"""The field ``size``: octets as transmitted (RFC 5228, section 5.9), strictly over or under."""

import re
from typing import Annotated, Any, ClassVar, Literal, TypeAlias

from pydantic import BeforeValidator, ValidationInfo
from pydantic import Field as ModelField

from mnemic.core.bounds import MOST_NUMBER, MOST_VALUES
from mnemic.core.errors import at_most, is_stored
from mnemic.core.fields.condition import Evidence, Given
from mnemic.core.fields.field import Aspect, EvidenceWords, Field
from mnemic.core.fields.measures import Interval, MeasureCondition, measure_error
from mnemic.core.message import MessageView

__all__ = ["FIELDS", "SizeCondition", "octets"]

_SIZE = re.compile(r"([0-9]{1,15}) ?(KB|MB|GB)", re.IGNORECASE)
_OCTETS = {"KB": 1024, "MB": 1024**2, "GB": 1024**3}


def octets(value: int | str) -> int:
    """A size in octets; raises ValueError where ``value`` is none."""
    if isinstance(value, int):
        if value < 0:
            raise ValueError
        return value
    match = _SIZE.fullmatch(value)
    if match is None:
        raise ValueError
    return int(match[1]) * _OCTETS[match[2].upper()]


def _checked(value: Any, info: ValidationInfo) -> int | str:
    try:
        if isinstance(value, bool) or not isinstance(value, int | str):
            raise ValueError
        if octets(value) >= MOST_NUMBER and not is_stored(info):
            raise ValueError
    except ValueError as error:
        raise measure_error(
            'has to be a whole number of octets below 2^53, or "500 KB", "2 MB", "1 GB"'
        ) from error
    return value


Size: TypeAlias = Annotated[int | str, BeforeValidator(_checked)]


class SizeCondition(MeasureCondition):
    """The size of the message."""

    field: Literal["size"]
    test: Literal["over", "under"]
    values: Annotated[tuple[Size, ...], ModelField(min_length=1), at_most(MOST_VALUES)]

    nouns: ClassVar = {"size": "its size"}

    def reads(self, message: MessageView) -> int:
        """The size."""
        return message.size

    def found(self, read: int, given: Given) -> Evidence | None:
        """The size, if it is over or under one of the values."""
        del given
        sizes = map(octets, self.values)
        if any(read > size if self.test == "over" else read < size for size in sizes):
            return Evidence.whole("size", f"{read} octets")
        return None

    def _verb(self) -> str:
        return "less" if self.test == "under" else self.test

    def interval(self) -> Interval:
        """Octets."""
        size = octets(self.values[0])
        return (size + 1, None) if self.test == "over" else (None, size - 1)


FIELDS = (
    Field(
        "size",
        SizeCondition,
        aspects=(
            Aspect(
                "size",
                "Size",
                "Size and time",
                (("over", "is over"), ("under", "is under")),
                "2 MB",
                values="size",
            ),
        ),
        evidence={"size": EvidenceWords("size")},
    ),
)
