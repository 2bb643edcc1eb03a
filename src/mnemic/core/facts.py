"""Facts: what a message offers for conditions, each a piece to pick and a condition ready made."""

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Any

from mnemic.core.errors import RuleDocumentError
from mnemic.core.fields import FIELDS
from mnemic.core.message import Circumstances, MessageView
from mnemic.core.rules import AnyTest
from mnemic.core.rules.reading import read_test

__all__ = ["Fact", "fact", "facts_of"]


@dataclass(frozen=True, slots=True)
class Fact:
    """A piece of a message: what it is about, what it says, and the condition that it makes.

    ``called`` is what people call it by, empty where the text says enough.
    """

    about: str
    text: str
    condition: AnyTest
    called: str = ""


def fact(about: str, text: str, **condition: Any) -> Iterator[Fact]:
    """The fact; none where no rule may hold it, a value too long or with control characters."""
    with suppress(RuleDocumentError):
        yield Fact(about, text, read_test(condition))


def facts_of(message: MessageView, circumstances: Circumstances) -> tuple[Fact, ...]:
    """What a message offers, the sender first and the words of its subject last.

    Every fact's condition takes the message itself.
    """
    return tuple(
        replace(offered_fact, called=offered.called)
        for field in sorted(FIELDS.values(), key=lambda field: field.many_facts)
        for offered in field.facts(message, circumstances)
        for offered_fact in fact(offered.about, offered.text, **offered.condition)
    )
