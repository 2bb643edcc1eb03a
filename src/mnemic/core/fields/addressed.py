"""The field ``addressed``: how I am addressed, possibly in several ways."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal, NamedTuple, TypeAlias

from pydantic import Field as ModelField

from mnemic.core.bounds import MOST_VALUES
from mnemic.core.canonical import without_tag
from mnemic.core.errors import at_most
from mnemic.core.fields.choice import ChoiceCondition
from mnemic.core.fields.condition import BaseCondition, Given
from mnemic.core.fields.field import Aspect, EvidenceWords, Field
from mnemic.core.message import AddressHeader, MessageView

__all__ = ["FIELDS", "AddressedCondition"]

Addressed: TypeAlias = Literal["only_me", "to_me", "cc_me", "not_me"]


class _Recipients(NamedTuple):
    """The canonical addresses of the header fields that people see."""

    to: frozenset[str]
    cc: frozenset[str]
    bcc: frozenset[str]


class AddressedCondition(ChoiceCondition):
    """How I am addressed."""

    field: Literal["addressed"]
    values: Annotated[tuple[Addressed, ...], ModelField(min_length=1), at_most(MOST_VALUES)]

    of_the_owner: ClassVar = True
    statements: ClassVar = {
        "addressed": {
            "only_me": "it is addressed only to me",
            "to_me": "I am in To",
            "cc_me": "I am in Cc",
            "not_me": "I am in neither To, Cc nor Bcc",
        }
    }

    def reads(self, message: MessageView) -> _Recipients:
        """Whom the message names as recipients."""

        def named(header: AddressHeader) -> frozenset[str]:
            return frozenset(address.canonical for address in message.addresses.get(header, ()))

        return _Recipients(named("to"), named("cc"), named("bcc"))

    def answers(self, read: _Recipients, given: Given) -> Iterator[tuple[Addressed, str]]:
        """Each way in which I am addressed."""
        for way in self._ways(read, given):
            yield way, way

    def _ways(self, read: _Recipients, given: Given) -> Iterator[Addressed]:
        me = given.circumstances.me

        def mine(addresses: frozenset[str]) -> bool:
            return any(address in me or without_tag(address) in me for address in addresses)

        everybody = read.to | read.cc | read.bcc
        if len(everybody) == 1 and mine(everybody):
            yield "only_me"
        if mine(read.to):
            yield "to_me"
        if mine(read.cc):
            yield "cc_me"
        if not mine(everybody):
            yield "not_me"

    def excludes(self, other: BaseCondition) -> bool:
        """Who is not addressed is not addressed in any other way."""
        if not isinstance(other, AddressedCondition):
            return False
        values = {self._value(), other._value()}
        return len(values) > 1 and "not_me" in values


_WORDS = {
    "only_me": "addressed only to me",
    "to_me": "I am in To",
    "cc_me": "I am in Cc",
    "not_me": "I am in neither To, Cc nor Bcc",
}

FIELDS = (
    Field(
        "addressed",
        AddressedCondition,
        aspects=(
            Aspect(
                "addressed",
                "Addressed",
                "More",
                (("is", "is"),),
                "pick",
                values="choice",
                choices=(
                    ("only_me", "to me alone"),
                    ("to_me", "to me"),
                    ("cc_me", "to me as a copy"),
                    ("not_me", "not to me by name"),
                ),
            ),
        ),
        evidence={"addressed": EvidenceWords(value=lambda value: _WORDS.get(value, value))},
    ),
)
