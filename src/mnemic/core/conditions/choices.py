"""Conditions whose values are picked from a few: priority, kind, how I am addressed, states."""

from collections.abc import Callable, Iterator
from typing import Annotated, Any, Literal, TypeAlias

from pydantic import BeforeValidator, Field

from mnemic.core.bounds import MOST_VALUES
from mnemic.core.canonical import canonical_address, without_tag
from mnemic.core.conditions.evidence import BaseCondition, Evidence, Given, NonEmptyTexts
from mnemic.core.errors import at_most
from mnemic.core.folding import fold
from mnemic.core.message import AddressHeader, KindName, MessageView, Priority

__all__ = [
    "AddressedCondition",
    "ContactCondition",
    "FlagCondition",
    "KindCondition",
    "PlaceCondition",
    "PriorityCondition",
]

Addressed: TypeAlias = Literal["only_me", "to_me", "cc_me", "not_me"]
Contact: TypeAlias = Literal["known", "unknown", "first"]


class _IsCondition(BaseCondition):
    """Holds if one of what is found is one of the values."""

    test: Literal["is"]


class PriorityCondition(_IsCondition):
    """What its writer said of its importance (RFC 2156, RFC 4021)."""

    field: Literal["priority"]
    values: Annotated[tuple[Priority, ...], Field(min_length=1), at_most(MOST_VALUES)]

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """The priority."""
        del given
        priority = message.priority
        return Evidence.whole("priority", priority) if priority in self.values else None


class KindCondition(_IsCondition):
    """What kind of mail it is."""

    field: Literal["kind"]
    values: Annotated[tuple[KindName, ...], Field(min_length=1), at_most(MOST_VALUES)]

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """What shows the kind."""
        del given
        kind = message.kind
        return Evidence.whole("kind", kind.reason) if kind.name in self.values else None


_OPEN_RECIPIENTS: tuple[AddressHeader, ...] = ("to", "cc", "bcc")


class AddressedCondition(_IsCondition):
    """How I am addressed, possibly in several ways."""

    field: Literal["addressed"]
    values: Annotated[tuple[Addressed, ...], Field(min_length=1), at_most(MOST_VALUES)]

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """The way that was asked for."""
        found = next((way for way in self._ways(message, given) if way in self.values), None)
        return None if found is None else Evidence.whole("addressed", found)

    def _ways(self, message: MessageView, given: Given) -> Iterator[Addressed]:
        me = given.circumstances.me
        named = {
            header: {canonical_address(each) for each in message.addresses.get(header, ())}
            for header in _OPEN_RECIPIENTS
        }

        def mine(addresses: set[str]) -> bool:
            return any(each in me or without_tag(each) in me for each in addresses)

        everybody = set().union(*named.values())
        if len(everybody) == 1 and mine(everybody):
            yield "only_me"
        if mine(named["to"]):
            yield "to_me"
        if mine(named["cc"]):
            yield "cc_me"
        if not mine(everybody):
            yield "not_me"


class ContactCondition(_IsCondition):
    """Whether the sender is in the address book, and whether it has written before."""

    field: Literal["contact"]
    values: Annotated[tuple[Contact, ...], Field(min_length=1), at_most(MOST_VALUES)]

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """The sender, and what it is."""
        senders = {canonical_address(each) for each in message.addresses.get("from", ())}
        known = not senders.isdisjoint(given.circumstances.contacts)
        found: list[Contact] = ["known" if known else "unknown"]
        earlier = given.circumstances.earlier_senders  # may be a store's: asked one by one
        if senders and not any(each in earlier for each in senders):
            found.append("first")
        held = next((each for each in found if each in self.values), None)
        return None if held is None else Evidence.whole("contact", held)


def _truth(value: Any) -> Any:
    """The words true and false count as the values."""
    return {"true": True, "false": False}.get(value, value) if isinstance(value, str) else value


Truth: TypeAlias = Annotated[Literal[True, False], BeforeValidator(_truth)]


class FlagCondition(_IsCondition):
    """Whether the message is read, or flagged, when the run starts."""

    field: Literal["seen", "flagged"]
    values: Annotated[tuple[Truth, ...], Field(min_length=1), at_most(MOST_VALUES)]

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """The state."""
        del message
        state = given.state.seen if self.field == "seen" else given.state.flagged
        said = self.field if state else f"not {self.field}"
        return Evidence.whole(self.field, said) if state in self.values else None


class PlaceCondition(_IsCondition):
    """The account it came to, the folder it is in, the labels it bears when the run starts."""

    field: Literal["account", "folder", "label"]
    values: NonEmptyTexts

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """The account, folder or label."""
        del message
        state = given.state
        if self.field == "account":
            there = [] if state.account is None else [state.account]
        else:
            there = [state.folder] if self.field == "folder" else list(state.labels)
        comparable: Callable[[str], str] = canonical_address if self.field == "account" else fold
        wanted = set(map(comparable, self.values))
        found = next((each for each in there if comparable(each) in wanted), None)
        return None if found is None else Evidence.whole(self.field, found)
