"""Traits: the facts of a message by which a rule may tell it from other mail."""

import re
from collections.abc import Iterator, Set
from contextlib import suppress
from functools import lru_cache
from itertools import islice
from typing import NamedTuple

from mnemic.core.canonical import without_tag
from mnemic.core.errors import RuleDocumentError
from mnemic.core.fields import BaseCondition
from mnemic.core.message import AddressHeader, MessageView
from mnemic.core.message.addresses import Address
from mnemic.core.rules.reading import read_test
from mnemic.core.text.domains import is_public_suffix
from mnemic.core.text.folding import fold

__all__ = ["Attached", "Trait", "traits_of"]

_RECIPIENTS: tuple[AddressHeader, ...] = ("to", "cc", "bcc", "delivered_to", "x_original_to")

#: Words of a subject or a file name that are looked at, and the longest phrase made of them.
_WORDS, _PHRASE = 30, 3

#: Shorter words stand in too much mail to tell anything.
_SHORTEST_WORD = 3

_WORD = re.compile(r"\w+")


class Trait(NamedTuple):
    """A condition on one value, before it is made: many are looked at and few are kept."""

    field: str
    part: str
    test: str
    value: str

    @property
    def condition(self) -> BaseCondition | None:
        """The condition; None where no rule may hold it (too long, control characters)."""
        return _condition(self)


@lru_cache(maxsize=16_384)
def _condition(trait: Trait) -> BaseCondition | None:
    said = {"field": trait.field, "test": trait.test, "values": [trait.value]}
    if trait.part:
        said["part"] = trait.part
    with suppress(RuleDocumentError):
        test = read_test(said)
        assert isinstance(test, BaseCondition)
        return test
    return None


@lru_cache(maxsize=16_384)
def _domains(domain: str) -> tuple[Trait, ...]:
    """The domain, and what it lies below as far as that is somebody's own."""
    traits = [Trait("from", "domain", "is", domain)]
    labels = domain.split(".")
    for at in range(len(labels)):
        below = ".".join(labels[at:])
        if is_public_suffix(below):
            break
        traits.append(Trait("from", "domain", "under", below))
    return tuple(traits)


def _senders(message: MessageView) -> Iterator[Trait]:
    for sender in message.addresses.get("from", ()):
        yield Trait("from", "address", "is", sender.canonical)
        if sender.domain:
            yield from _domains(sender.canonical.rpartition("@")[2])


def _recipients(message: MessageView) -> Iterator[Address]:
    for header in _RECIPIENTS:
        yield from message.addresses.get(header, ())
    yield from message.envelope.addresses


def _mine(message: MessageView, me: Set[str]) -> Iterator[Trait]:
    """Which of the owner's addresses it came to, and with which +tag."""
    for recipient in _recipients(message):
        local = recipient.canonical.rpartition("@")[0]
        _, plus, tag = local.partition("+")
        if recipient.canonical in me or without_tag(recipient.canonical) in me:
            yield Trait("recipient", "address", "is", recipient.canonical)
            if plus and tag:
                yield Trait("recipient", "tag", "is", tag)


def _phrases(text: str) -> Iterator[str]:
    """Words that may tell something, and runs of words, as they stand in a folded text."""
    words = [(*word.span(), word[0]) for word in islice(_WORD.finditer(text), _WORDS)]
    for at, (begin, end, _) in enumerate(words):
        tells = False
        for start, stop, word in words[at : at + _PHRASE]:
            if start > begin and text[end:start] != " ":  # something else stands between them
                break
            end = stop
            tells = tells or (len(word) >= _SHORTEST_WORD and not word.isdigit())
            if tells:
                yield text[begin:end]


class Attached(NamedTuple):
    """What is attached to a message: the names and the media types, all folded."""

    names: tuple[str, ...] = ()
    types: tuple[str, ...] = ()


def _attached_to(message: MessageView) -> Attached:
    """What is attached to a message, read from itself."""
    attachments = message.attachments
    return Attached(
        tuple(fold(attachment.name) for attachment in attachments),
        tuple(fold(attachment.media_type) for attachment in attachments),
    )


def _texts(message: MessageView, attached: Attached) -> Iterator[Trait]:
    for phrase in _phrases(fold(message.subject or "")):
        yield Trait("subject", "", "words", phrase)
    for media_type in attached.types:
        yield Trait("attachment_type", "", "is", media_type)
    for name in attached.names:
        for phrase in _phrases(name):
            yield Trait("attachment", "", "words", phrase)


def traits_of(
    message: MessageView, me: Set[str], attached: Attached | None = None
) -> frozenset[Trait]:
    """What a message can be told by; ``me`` are the owner's addresses (``canonical_address``).

    What is ``attached`` is read from the message where it is not known. The condition of every
    trait takes the message itself.
    """
    known = _attached_to(message) if attached is None else attached
    traits = {*_senders(message), *_mine(message, me), *_texts(message, known)}
    traits.add(Trait("kind", "", "is", message.kind.name))
    if message.list_id:
        traits.add(Trait("list", "", "is", fold(message.list_id)))
    return frozenset(traits)
