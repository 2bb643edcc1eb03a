"""The field ``contact``: whether the sender is in the address book, and has written before."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal, TypeAlias

from pydantic import Field as ModelField

from mnemic.core.bounds import MOST_VALUES
from mnemic.core.errors import at_most
from mnemic.core.fields.choice import ChoiceCondition
from mnemic.core.fields.condition import BaseCondition, Given
from mnemic.core.fields.field import Aspect, EvidenceWords, Field, Offered
from mnemic.core.message import Circumstances, MessageView

__all__ = ["FIELDS", "ContactCondition"]

Contact: TypeAlias = Literal["known", "unknown", "first"]

#: One or the other of these always holds.
_OTHER: dict[Contact, Contact] = {"known": "unknown", "unknown": "known"}


def _senders(message: MessageView) -> frozenset[str]:
    return frozenset(address.canonical for address in message.addresses.get("from", ()))


class ContactCondition(ChoiceCondition):
    """What the sender is to the owner."""

    field: Literal["contact"]
    values: Annotated[tuple[Contact, ...], ModelField(min_length=1), at_most(MOST_VALUES)]

    of_the_owner: ClassVar = True
    statements: ClassVar = {
        "contact": {
            "known": "the sender is a known contact",
            "unknown": "the sender is not a known contact",
            "first": "it is the first message from its sender",
        }
    }

    def reads(self, message: MessageView) -> frozenset[str]:
        """The senders, in canonical form."""
        return _senders(message)

    def answers(self, read: frozenset[str], given: Given) -> Iterator[tuple[Contact, str]]:
        """Known or unknown; and whether it is the first."""
        known = not read.isdisjoint(given.circumstances.contacts)
        now: Contact = "known" if known else "unknown"
        yield now, now
        earlier = given.circumstances.earlier_senders  # may be a store's: asked one by one
        if read and not any(sender in earlier for sender in read):
            yield "first", "first"

    def opposite(self) -> "ContactCondition | None":
        """Who is not known is unknown; not being the first has no name."""
        other = _OTHER.get(self.values[0])
        return None if other is None else self.with_values((other,))

    def excludes(self, other: BaseCondition) -> bool:
        """A sender is known or unknown; the first message may come from either."""
        if not isinstance(other, ContactCondition):
            return False
        return {self._value(), other._value()} == {"known", "unknown"}


def _facts(message: MessageView, circumstances: Circumstances) -> Iterator[Offered]:
    senders = _senders(message)
    if senders:
        known = not senders.isdisjoint(circumstances.contacts)
        value, words = ("known", "known contact") if known else ("unknown", "not in the contacts")
        yield Offered("sender", words, {"field": "contact", "test": "is", "values": [value]})


_WORDS = {
    "known": "from a known contact",
    "unknown": "from nobody in the contacts",
    "first": "the first message from its sender",
}

FIELDS = (
    Field(
        "contact",
        ContactCondition,
        aspects=(
            Aspect(
                "contact",
                "Sender is",
                "More",
                (("is", "is"),),
                "pick",
                values="choice",
                choices=(
                    ("known", "in the address book"),
                    ("unknown", "not in the address book"),
                    ("first", "writing for the first time"),
                ),
            ),
        ),
        facts=_facts,
        evidence={"contact": EvidenceWords(value=lambda value: _WORDS.get(value, value))},
    ),
)
