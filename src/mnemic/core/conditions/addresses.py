"""Conditions on addresses: of a header field, or every recipient."""

from collections.abc import Callable, Iterator
from functools import cached_property
from typing import Literal, Self, TypeAlias

from pydantic import model_validator

from mnemic.core.addresses import Address, parse_addresses, split_address
from mnemic.core.conditions.texts import Candidate, Channel, TextTestCondition
from mnemic.core.domains import canonical_domain
from mnemic.core.errors import Problem, invalid
from mnemic.core.message import AddressHeader, MessageView
from mnemic.core.text_tests import TEXT_TESTS

__all__ = ["AddressCondition", "local_pieces"]

AddressField: TypeAlias = Literal["from", "sender", "reply_to", "to", "cc", "bcc", "recipient"]
AddressPart: TypeAlias = Literal["address", "domain", "local", "user", "tag", "name", "any"]

_RECIPIENT_HEADERS: tuple[AddressHeader, ...] = (
    "to",
    "cc",
    "bcc",
    "delivered_to",
    "x_original_to",
)


def local_pieces(local: str) -> tuple[str, str | None]:
    """User and tag of a local part (RFC 5233): before and after the first +."""
    user, plus, tag = local.partition("+")
    return user, tag if plus else None


def _tag(address: Address) -> tuple[str, ...]:
    tag = local_pieces(address.local)[1]
    return () if tag is None else (tag,)


_PARTS: dict[AddressPart, Callable[[Address], tuple[str, ...]]] = {
    "address": lambda address: (address.address,),
    "domain": lambda address: (address.domain,) if address.domain else (),
    "local": lambda address: (address.local,),
    "user": lambda address: (local_pieces(address.local)[0],),
    "tag": _tag,
    "name": lambda address: (address.name,) if address.name else (),
    "any": lambda address: (address.name, address.address) if address.name else (address.address,),
}


def _addresses(field: AddressField, message: MessageView) -> Iterator[tuple[str, Address]]:
    headers: tuple[AddressHeader, ...] = _RECIPIENT_HEADERS if field == "recipient" else (field,)
    for header in headers:
        for address in message.addresses.get(header, ()):
            yield header, address
    if field == "recipient":
        for recipient in message.envelope.recipients:
            for address in parse_addresses(recipient):
                yield "envelope", address


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

    @cached_property
    def channels(self) -> tuple[Channel, ...]:
        """The field, the part and the form."""
        return (Channel(self.field, self.part, self.is_exact),)

    def comparable_value(self, value: str) -> str:
        """A value in the form in which it is compared; its domain in the one IDNA form."""
        if self.part == "domain":
            return canonical_domain(value)
        if self.part in ("address", "any") and "@" in value:
            local, domain = split_address(value)
            return f"{super().comparable_value(local)}@{canonical_domain(domain)}"
        return super().comparable_value(value)

    def candidates(self, message: MessageView, channel: Channel) -> Iterator[Candidate]:
        """The part of each address."""
        del channel
        for header, address in _addresses(self.field, message):
            for original in _PARTS[self.part](address):
                yield self._candidate(header, address, original)

    def _candidate(self, header: str, address: Address, original: str) -> Candidate:
        if self.part == "domain":
            comparable = canonical_domain(original)
        elif address.domain and original == address.address:
            comparable = f"{self.form(address.local)}@{canonical_domain(address.domain)}"
        else:
            comparable = self.form(original)
            return Candidate(header, original, comparable)
        return Candidate(header, original, comparable, comparable == self.form(original))
