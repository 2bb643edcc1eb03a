"""The fields of addresses: of a header field (RFC 5322, section 3.6), or every recipient."""

import re
from collections.abc import Callable, Iterator
from functools import cached_property
from typing import Any, ClassVar, Literal, Self, TypeAlias

from pydantic import model_validator

from mnemic.core.errors import Problem, invalid
from mnemic.core.fields.condition import BaseCondition
from mnemic.core.fields.field import (
    Aspect,
    CompletedAddress,
    EvidenceWords,
    Field,
    Group,
    MadeTest,
    Offered,
    Prefix,
    contains,
)
from mnemic.core.fields.text_condition import (
    Candidate,
    Channel,
    TextTestCondition,
    labelled,
)
from mnemic.core.fields.text_logic import TELLING_TESTS
from mnemic.core.message import AddressHeader, Circumstances, MessageView
from mnemic.core.message.addresses import Address, split_address
from mnemic.core.text.domains import canonical_domain, piece_as_domain
from mnemic.core.text.text_tests import TEXT_TESTS
from mnemic.core.wording import Phrase

__all__ = ["FIELDS", "AddressCondition", "local_pieces"]

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
        for address in message.envelope.addresses:
            yield "envelope", address


#: What follows a noun to say which part is meant.
_PART_NOUNS: dict[AddressPart, str] = {
    "address": "",
    "domain": "’s domain",
    "local": "’s part before the @",
    "user": "’s user name",
    "tag": "’s +tag",
    "name": "’s name",
    "any": "’s name or address",
}

#: A text of the part on the left holds every text of the parts on the right.
_HOLDS: dict[AddressPart, tuple[AddressPart, ...]] = {
    "address": ("local", "user", "tag", "domain", "address"),
    "any": ("local", "user", "tag", "domain", "address", "name", "any"),
}


class AddressCondition(TextTestCondition):
    """A condition on every address of a header field, or on every recipient."""

    field: AddressField
    part: AddressPart = "address"

    nouns: ClassVar = {
        "from": "the sender",
        "sender": "the Sender field",
        "reply_to": "the reply address",
        "to": "an address in To",
        "cc": "an address in Cc",
        "bcc": "an address in Bcc",
        "recipient": "a recipient",
    }
    none_of: ClassVar = {
        "to": "no address in To",
        "cc": "no address in Cc",
        "bcc": "no address in Bcc",
        "recipient": "no recipient",
    }

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

    @cached_property
    def comparable_values(self) -> tuple[str, ...]:
        """Without an @ a value may be a piece of either side: it is looked for as both read."""
        values = super().comparable_values
        if self.test == "regex" or self.part not in ("address", "any"):
            return values
        pieces = [
            piece_as_domain(value, case=self.case) for value in self.values if "@" not in value
        ]
        return tuple(dict.fromkeys([*values, *filter(None, pieces)]))

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

    def _noun_phrases(self, *, turned: bool) -> list[Phrase]:
        return [Phrase(self._noun(turned=turned) + _PART_NOUNS[self.part])]

    # Logic: an address is taken for ``local@domain``, as its comparable form reads.

    def _among(self, other: "AddressCondition") -> bool:
        """Whether the addresses it looks at are among those that ``other`` looks at."""
        recipients = other.field == "recipient" and self.field in ("to", "cc", "bcc")
        return self.field == other.field or recipients

    def same_texts(self, other: TextTestCondition) -> bool:
        """Of the same addresses the same part, or one that is among what ``other`` looks at."""
        if not isinstance(other, AddressCondition) or not self._among(other):
            return False
        return self.part == other.part or (other.part == "any" and self.part in ("address", "name"))

    def implies(self, other: BaseCondition) -> bool:
        """What one part of an address says of the same part, or of another."""
        if super().implies(other):
            return True
        return (
            isinstance(other, AddressCondition)
            and self._among(other)
            and not (self.is_exact or other.is_exact)
            and self._tells(other)
        )

    def _tells(self, other: "AddressCondition") -> bool:
        if len(self.comparable_values) > 1:
            return False
        value = self.sought.value
        if self.part == "address" and self.test == "is" and "@" in value:
            local, _, domain = value.rpartition("@")
            pieces = {"local": local, "domain": domain}
            return other.part in pieces and other.find(pieces[other.part]) is not None
        if self.part not in _HOLDS.get(other.part, ()) or self.test not in TELLING_TESTS:
            return False
        if self.part == "domain" and self.test in ("is", "under") and other.test == "ends":
            ending = f"@{value}" if self.test == "is" else value
            return ending.endswith(other.sought.value)
        return other.test == "contains" and other.sought.value in value


#: Recipients that are offered as facts: a message to a whole list of people is not told by each.
_OFFERED = 4

_OFFERED_HEADERS: tuple[AddressHeader, ...] = ("delivered_to", "x_original_to", "to", "cc")


def _is(field: str, value: str, **more: str) -> dict[str, Any]:
    return {"field": field, "test": "is", "values": [value], **more}


def _senders(message: MessageView, circumstances: Circumstances) -> Iterator[Offered]:
    del circumstances
    for sender in message.addresses.get("from", ())[:1]:
        if sender.domain:
            yield Offered("from", sender.address, _is("from", sender.address), sender.name)
            yield Offered("domain", sender.domain, _is("from", sender.domain, part="domain"))


def _recipients(message: MessageView, circumstances: Circumstances) -> Iterator[Offered]:
    del circumstances
    recipients: dict[str, str] = {}
    for recipient in message.envelope.addresses:
        recipients.setdefault(recipient.canonical, recipient.address)
    for header in _OFFERED_HEADERS:
        for address in message.addresses.get(header, ()):
            if address.domain:
                recipients.setdefault(address.canonical, address.address)
    for written in list(recipients.values())[:_OFFERED]:
        yield Offered("came to", written, _is("recipient", written))
        tag = local_pieces(written.rpartition("@")[0])[1]
        if tag:
            yield Offered("tag", tag, _is("recipient", tag, part="tag"))


#: The parts, what each adds to the label of a field, and what is typed for it.
_PART_LABELS: tuple[tuple[AddressPart, str, str], ...] = (
    ("address", "", "name@domain"),
    ("domain", "domain", "domain"),
    ("name", "name", "a name"),
    ("any", "name or address", "a name or an address"),
    ("local", "part before the @", "what stands before the @"),
    ("user", "part before the +", "what stands before the + or @"),
    ("tag", "+tag", "what stands after the +"),
)

#: The aspects that are listed among the usual ones.
_USUAL = ("from", "from-domain", "recipient")


def _aspects(field: AddressField, group: Group, whose: str) -> Iterator[Aspect]:
    for part, piece, placeholder in _PART_LABELS:
        key = field if part == "address" else f"{field}-{part}"
        tests = labelled()
        if part in ("domain", "name"):
            tests = labelled("under", "is") if part == "domain" else labelled("words")
        completes = None
        if part in ("address", "domain"):
            completes = CompletedAddress("from" if field == "from" else "recipient", part)
        if key == "recipient":
            placeholder = "the address it came to"
        yield Aspect(
            key,
            f"{whose} {piece}" if piece else group,
            "Usual" if key in _USUAL else group,
            tests,
            placeholder,
            part=part,
            completes=completes,
        )


def _people(field: str) -> MadeTest:
    def made(value: str, *_: Any) -> dict[str, Any]:
        return contains(field, value, part="any")

    return made


def _because(lead: str) -> EvidenceWords:
    """An address is told by its part before the @: "came to moorings@"."""

    def because(value: str) -> str:
        address = re.search(r"\S+@", value)
        return f"{lead} {address.group().lstrip('<') if address else value}"

    return EvidenceWords(lead, because=because)


def _header_field(field: AddressField, group: Group, whose: str, lead: str) -> Field:
    aspects = tuple(_aspects(field, group, whose))
    return Field(field, AddressCondition, aspects, evidence={field: _because(lead)})


FIELDS = (
    Field(
        "from",
        AddressCondition,
        aspects=tuple(_aspects("from", "Sender", "Sender’s")),
        prefixes=(Prefix("from", "the sender’s name or address", _people("from")),),
        facts=_senders,
        evidence={"from": _because("from")},
    ),
    Field(
        "recipient",
        AddressCondition,
        aspects=tuple(_aspects("recipient", "Recipient", "Recipient’s")),
        prefixes=(Prefix("to", "whom it came to: name, address or alias", _people("recipient")),),
        facts=_recipients,
        evidence={
            where: _because("came to") for where in ("delivered_to", "x_original_to", "envelope")
        },
    ),
    _header_field("to", "To", "To:", "came to"),
    _header_field("cc", "Copy to", "Copy to:", "came to"),
    _header_field("bcc", "Blind copy to", "Blind copy to:", "came to"),
    _header_field("reply_to", "Reply-To", "Reply-To:", "answers to"),
    _header_field("sender", "Sender field", "Sender field:", "from"),
)
