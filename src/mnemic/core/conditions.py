"""Conditions: the model of each, and what each looks at in a message.

This is the one place in the core that a new condition field touches. A condition yields
*candidates*: the pieces of a message it looks at, as they stand, beside their comparable form.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Annotated, Literal, Self, TypeAlias

from pydantic import BaseModel, ConfigDict, Field, StrictBool, StringConstraints, model_validator

from mnemic.core.addresses import Address, parse_addresses, split_address
from mnemic.core.domains import canonical_domain
from mnemic.core.errors import Problem, invalid
from mnemic.core.folding import exact, fold
from mnemic.core.message import AddressHeader, MessageView
from mnemic.core.text_tests import TEXT_TESTS, Find, TextTest, finder, pattern_problem

__all__ = [
    "CONDITION_KINDS",
    "AddressCondition",
    "AddressField",
    "AddressPart",
    "Candidate",
    "Condition",
    "TextCondition",
    "TextField",
]

AddressField: TypeAlias = Literal["from", "sender", "reply_to", "to", "cc", "bcc", "recipient"]
AddressPart: TypeAlias = Literal["address", "domain", "local", "user", "tag", "name", "any"]
TextField: TypeAlias = Literal["subject", "body", "text"]
Value: TypeAlias = Annotated[str, StringConstraints(min_length=1)]
Values: TypeAlias = Annotated[tuple[Value, ...], Field(min_length=1)]

_RECIPIENT_HEADERS: tuple[AddressHeader, ...] = (
    "to",
    "cc",
    "bcc",
    "delivered_to",
    "x_original_to",
)


@dataclass(frozen=True, slots=True)
class Candidate:
    """One piece of a message that a condition looks at.

    ``original`` is shown to people; ``comparable`` is what tests compare. ``spans_map`` tells
    that spans of ``comparable`` map back through folding (not so where a domain was brought
    into its IDNA form: then the whole piece is the evidence).
    """

    where: str
    original: str
    comparable: str
    spans_map: bool = True


class TextTestCondition(BaseModel):
    """A condition whose test compares text ("Comparing text" in the rule document)."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    field: str
    test: TextTest
    values: Values
    case: StrictBool = False

    def _form(self, value: str) -> str:
        return exact(value) if self.case else fold(value)

    def _comparable_value(self, value: str) -> str:
        return self._form(value)

    def _candidate_form(self, text: str) -> str:
        # A regex reads the text with its case, and turns caseless by itself.
        return exact(text) if self.case or self.test == "regex" else fold(text)

    def _value_problem(self, value: str) -> str | None:
        if self.test == "regex":
            return pattern_problem(value)
        if not self._comparable_value(value):
            return "holds nothing that could be compared; type at least one character"
        return None

    @model_validator(mode="after")
    def _values_can_be_used(self) -> Self:
        problems = [
            Problem(f"values[{position}]", problem)
            for position, value in enumerate(self.values)
            if (problem := self._value_problem(value))
        ]
        if problems:
            raise invalid(problems)
        return self

    @cached_property
    def find(self) -> Find:
        """Finds the first span of a comparable text that passes the test, or None."""
        values = self.values
        if self.test != "regex":
            values = tuple(map(self._comparable_value, values))
        return finder(self.test, values, case=self.case)


class TextCondition(TextTestCondition):
    """A condition on the subject, the body, or either."""

    field: TextField
    test: Literal["contains", "words", "is", "begins", "ends", "wildcard", "regex"]

    def candidates(self, message: MessageView) -> Iterator[Candidate]:
        """The pieces of the message that this condition looks at."""
        if self.field in ("subject", "text") and message.subject is not None:
            yield Candidate("subject", message.subject, self._candidate_form(message.subject))
        if self.field in ("body", "text"):
            yield Candidate("body", message.body, self._candidate_form(message.body))


class AddressCondition(TextTestCondition):
    """A condition on every address of a header field, or on every recipient."""

    field: AddressField
    part: AddressPart = "address"

    @model_validator(mode="after")
    def _under_is_for_domains(self) -> Self:
        if self.test == "under" and self.part != "domain":
            allowed = ", ".join(TEXT_TESTS)
            message = f'"under" is for part "domain" alone; allowed here: {allowed}'
            raise invalid([Problem("test", message)])
        return self

    def _comparable_value(self, value: str) -> str:
        if self.part == "domain":
            return canonical_domain(value)
        if self.part in ("address", "any") and "@" in value:
            return self._with_domain(*split_address(value))
        return self._form(value)

    def _with_domain(self, local: str, domain: str) -> str:
        return f"{self._form(local)}@{canonical_domain(domain)}"

    def candidates(self, message: MessageView) -> Iterator[Candidate]:
        """The pieces of the message that this condition looks at."""
        form = self._candidate_form
        for header, address in _addresses(self.field, message):
            for original in _PARTS[self.part](address):
                if original == address.address and "@" in original:
                    domain = canonical_domain(address.domain)
                    comparable = f"{form(address.local)}@{domain}"
                elif self.part == "domain":
                    comparable = canonical_domain(original)
                else:
                    comparable = form(original)
                yield Candidate(header, original, comparable, comparable == form(original))


def _addresses(field: AddressField, message: MessageView) -> Iterator[tuple[str, Address]]:
    headers: tuple[AddressHeader, ...] = _RECIPIENT_HEADERS if field == "recipient" else (field,)
    for header in headers:
        for address in message.addresses.get(header, ()):
            yield header, address
    if field == "recipient":
        for recipient in message.envelope.recipients:
            for address in parse_addresses(recipient):
                yield "envelope", address


def _local_pieces(address: Address) -> tuple[str, str | None]:
    """User and tag of a local part (RFC 5233): before and after the first +."""
    user, plus, tag = address.local.partition("+")
    return user, tag if plus else None


def _tag(address: Address) -> tuple[str, ...]:
    tag = _local_pieces(address)[1]
    return () if tag is None else (tag,)


_PARTS: dict[AddressPart, Callable[[Address], tuple[str, ...]]] = {
    "address": lambda address: (address.address,),
    "domain": lambda address: (address.domain,) if address.domain else (),
    "local": lambda address: (address.local,),
    "user": lambda address: (_local_pieces(address)[0],),
    "tag": _tag,
    "name": lambda address: (address.name,) if address.name else (),
    "any": lambda address: (address.name, address.address) if address.name else (address.address,),
}

#: Every kind of condition, by field.
CONDITION_KINDS: dict[str, type[TextCondition | AddressCondition]] = {
    **dict.fromkeys(
        ("from", "sender", "reply_to", "to", "cc", "bcc", "recipient"), AddressCondition
    ),
    **dict.fromkeys(("subject", "body", "text"), TextCondition),
}

Condition: TypeAlias = AddressCondition | TextCondition
