"""A condition field: its model, and what people meet of it in the editor, in Find and as facts."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from dataclasses import field as with_default
from datetime import date
from typing import Any, Literal, NamedTuple, TypeAlias, get_args

from mnemic.core.fields.condition import BaseCondition
from mnemic.core.message import Circumstances, MessageView

__all__ = [
    "GROUPS",
    "Aspect",
    "CompletedAddress",
    "EvidenceWords",
    "Field",
    "Offered",
    "Prefix",
    "contains",
]

#: The groups under which the editor lists what a condition can be about, in this order.
Group: TypeAlias = Literal[
    "Usual", "More", "Size and time", "State",
    "Sender", "Recipient", "To", "Copy to", "Blind copy to", "Reply-To", "Sender field",
]  # fmt: skip
GROUPS: tuple[Group, ...] = get_args(Group)

#: How values are typed or picked.
ValueKind: TypeAlias = Literal["text", "choice", "size", "day", "age"]


class CompletedAddress(NamedTuple):
    """Values are completed by addresses, or domains, of the mail and of the contacts."""

    header: Literal["from", "recipient"]
    part: Literal["address", "domain"]


@dataclass(frozen=True, slots=True)
class Aspect:
    """What a condition can be about, as the editor offers it: a field, or a part of it.

    ``tests`` are the tests it offers with their labels, the usual one first. ``choices`` are the
    only values there are, as they are written in a rule and as they are shown. ``completes`` says
    where values to pick from come from.
    """

    key: str
    label: str
    group: Group
    tests: tuple[tuple[str, str], ...]
    placeholder: str
    values: ValueKind = "text"
    part: str | None = None
    completes: Literal["folder", "label", "account"] | CompletedAddress | None = None
    choices: tuple[tuple[str | bool, str], ...] = ()


#: Makes a test, as parsed JSON, of what stands behind a prefix; the owner's day is given.
MadeTest: TypeAlias = Callable[[str, date], dict[str, Any]]


@dataclass(frozen=True, slots=True)
class Prefix:
    """What can stand before a colon in Find: its meaning, and the test that its value makes.

    ``choices`` are the only values there are, with what people call them; empty where any text
    will do. ``also`` are other names for it.
    """

    name: str
    meaning: str
    test: MadeTest
    choices: Mapping[str, str] = with_default(default_factory=dict)
    also: tuple[str, ...] = ()


class Offered(NamedTuple):
    """A piece of a message that a condition can be made of: a fact before it is checked.

    ``about`` says what it is, ``text`` what it says, ``condition`` is parsed JSON. ``called`` is
    what people call it by: the name of a sender or a list; empty where there is none.
    """

    about: str
    text: str
    condition: dict[str, Any]
    called: str = ""


@dataclass(frozen=True, slots=True)
class EvidenceWords:
    """How evidence that was found in a field is told.

    ``lead`` stands before it where the field is not plain from the value. ``value`` says it as
    people do; ``because`` in a few words, where that is something else.
    """

    lead: str = ""
    value: Callable[[str], str] = str
    because: Callable[[str], str] | None = None


def _nothing(message: MessageView, circumstances: Circumstances) -> Iterable[Offered]:
    del message, circumstances
    return ()


@dataclass(frozen=True, slots=True)
class Field:
    """One condition field.

    ``facts`` are what a message offers for it; those of a field with ``many_facts`` are listed
    last. ``evidence`` are the words for its evidence, by where that was found.
    """

    name: str
    condition: type[BaseCondition]
    aspects: tuple[Aspect, ...]
    prefixes: tuple[Prefix, ...] = ()
    facts: Callable[[MessageView, Circumstances], Iterable[Offered]] = _nothing
    many_facts: bool = False
    evidence: Mapping[str, EvidenceWords] = with_default(default_factory=dict)

    @property
    def has_case(self) -> bool:
        """Whether its texts can be compared with exact case."""
        return "case" in self.condition.model_fields


def contains(field: str, value: str, **more: str) -> dict[str, Any]:
    """The test that a text of a field contains a value, as parsed JSON."""
    return {"field": field, "test": "contains", "values": [value], **more}
