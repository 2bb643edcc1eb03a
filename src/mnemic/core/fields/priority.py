"""The field ``priority``: what its writer said of its importance (RFC 2156, RFC 4021)."""

from collections.abc import Iterable, Iterator
from typing import Annotated, Any, ClassVar, Literal, get_args

from pydantic import Field as ModelField

from mnemic.core.bounds import MOST_VALUES
from mnemic.core.errors import at_most
from mnemic.core.fields.choice import ChoiceCondition
from mnemic.core.fields.condition import Given
from mnemic.core.fields.field import Aspect, EvidenceWords, Field, Offered, Prefix
from mnemic.core.message import Circumstances, MessageView, Priority

__all__ = ["FIELDS", "PriorityCondition"]


class PriorityCondition(ChoiceCondition):
    """What its writer said of its importance."""

    field: Literal["priority"]
    values: Annotated[tuple[Priority, ...], ModelField(min_length=1), at_most(MOST_VALUES)]

    statements: ClassVar = {
        "priority": {level: f"its importance is {level}" for level in get_args(Priority)}
    }

    def reads(self, message: MessageView) -> Priority:
        """The priority."""
        return message.priority

    def answers(self, read: Priority, given: Given) -> Iterable[tuple[Priority, str]]:
        """The priority."""
        del given
        return ((read, read),)


def _facts(message: MessageView, circumstances: Circumstances) -> Iterator[Offered]:
    del circumstances
    level = message.priority
    if level != "normal":
        yield Offered("importance", level, _is(level))


def _is(value: str, *_: Any) -> dict[str, Any]:
    return {"field": "priority", "test": "is", "values": [value.lower()]}


FIELDS = (
    Field(
        "priority",
        PriorityCondition,
        aspects=(
            Aspect(
                "priority",
                "Importance",
                "More",
                (("is", "is"),),
                "pick",
                values="choice",
                choices=tuple((level, level) for level in get_args(Priority)),
            ),
        ),
        prefixes=(
            Prefix(
                "importance",
                "what its writer said of its importance",
                _is,
                choices=dict.fromkeys(get_args(Priority), ""),
                also=("priority",),  # the field's name in the rule document
            ),
        ),
        facts=_facts,
        evidence={"priority": EvidenceWords(value="{} importance".format)},
    ),
)
