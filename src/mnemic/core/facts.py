"""Facts: what a message offers for conditions, each a piece to pick and a condition ready made."""

import re
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from mnemic.core.addresses import Address
from mnemic.core.canonical import canonical_address
from mnemic.core.conditions.addresses import local_pieces
from mnemic.core.errors import RuleDocumentError
from mnemic.core.evidence_words import KIND_WORDS
from mnemic.core.message import AddressHeader, Circumstances, MessageView
from mnemic.core.rule_reading import read_test
from mnemic.core.rules import AnyTest

__all__ = ["Fact", "fact", "facts_of"]

#: A word of a subject: what ``words`` takes for one, with what joins it inside (WL-2207, Heron's).
_WORD = re.compile(r"\w+(?:[-’'.]\w+)*")

#: Words of a subject that are offered; more would be a text, not facts.
_WORDS = 16

_HEADERS: tuple[AddressHeader, ...] = ("delivered_to", "x_original_to", "to", "cc")

#: Recipients that are offered: a message to a whole list of people is not told by each of them.
_RECIPIENTS = 4

#: Attachments that are offered.
_ATTACHMENTS = 16


@dataclass(frozen=True, slots=True)
class Fact:
    """A piece of a message: what it is about, what it says, and the condition that it makes."""

    about: str
    text: str
    condition: AnyTest


def fact(about: str, text: str, **condition: Any) -> Iterator[Fact]:
    """The fact; none where no rule may hold it, a value too long or with control characters."""
    with suppress(RuleDocumentError):
        yield Fact(about, text, read_test(condition))


def _senders(message: MessageView) -> Iterator[Fact]:
    for sender in message.addresses.get("from", ())[:1]:
        if sender.domain:
            address = sender.address
            yield from fact("from", address, field="from", test="is", values=[address])
            yield from fact(
                "domain",
                sender.domain,
                field="from",
                part="domain",
                test="is",
                values=[sender.domain],
            )


def _recipients(message: MessageView) -> Iterator[Fact]:
    found: dict[str, str] = {}
    for recipient in message.envelope.recipients:
        found.setdefault(canonical_address(recipient), recipient)
    for header in _HEADERS:
        for each in message.addresses.get(header, ()):
            if each.domain:
                found.setdefault(canonical_address(each), each.address)
    for address in list(found.values())[:_RECIPIENTS]:
        yield from fact("came to", address, field="recipient", test="is", values=[address])
        tag = _tag(address)
        if tag:
            yield from fact("tag", tag, field="recipient", part="tag", test="is", values=[tag])


def _tag(address: str) -> str | None:
    local, _, domain = address.rpartition("@")
    return local_pieces(Address("", local, domain).local)[1]


def _others(message: MessageView, circumstances: Circumstances) -> Iterator[Fact]:
    yield from fact(
        "kind",
        KIND_WORDS[message.kind.name].removeprefix("an ").removeprefix("a "),
        field="kind",
        test="is",
        values=[message.kind.name],
    )
    if message.list_id:
        yield from fact("list", message.list_id, field="list", test="is", values=[message.list_id])
    names = dict.fromkeys(each.name for each in message.attachments if each.name)
    for name in list(names)[:_ATTACHMENTS]:
        yield from fact("attachment", name, field="attachment", test="is", values=[name])
    if message.priority != "normal":
        priority = message.priority
        yield from fact("importance", priority, field="priority", test="is", values=[priority])
    senders = {canonical_address(each) for each in message.addresses.get("from", ())}
    if senders:
        known = "unknown" if senders.isdisjoint(circumstances.contacts) else "known"
        said = "known contact" if known == "known" else "not in the contacts"
        yield from fact("sender", said, field="contact", test="is", values=[known])


def _words(message: MessageView) -> Iterator[Fact]:
    words = dict.fromkeys(_WORD.findall(message.subject or ""))
    for word in list(words)[:_WORDS]:
        yield from fact("subject", word, field="subject", test="words", values=[word])


def facts_of(message: MessageView, circumstances: Circumstances) -> tuple[Fact, ...]:
    """What a message offers, the sender first and the words of its subject last.

    Every fact's condition takes the message itself.
    """
    return (
        *_senders(message),
        *_recipients(message),
        *_others(message, circumstances),
        *_words(message),
    )
