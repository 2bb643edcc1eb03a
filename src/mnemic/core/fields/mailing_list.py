"""The field ``list``: the identifier of the mailing list it came through (RFC 2919)."""

from collections.abc import Iterator
from functools import cached_property
from typing import Any, ClassVar, Literal

from mnemic.core.fields.field import Aspect, EvidenceWords, Field, Offered, Prefix, contains
from mnemic.core.fields.text_condition import (
    Candidate,
    Channel,
    ExistsOrTextCondition,
    labelled,
)
from mnemic.core.message import Circumstances, MessageView

__all__ = ["FIELDS", "ListCondition"]


class ListCondition(ExistsOrTextCondition):
    """A condition on the list's identifier."""

    field: Literal["list"]

    nouns: ClassVar = {"list": "the list’s identifier"}
    presence: ClassVar = ("it has a list identifier", "it has no list identifier")

    @cached_property
    def channels(self) -> tuple[Channel, ...]:
        """The field and the form."""
        return (Channel("list", "", self.is_exact),)

    def candidates(self, message: MessageView, channel: Channel) -> Iterator[Candidate]:
        """The identifier."""
        del channel
        if message.list_id is not None:
            yield Candidate("list", message.list_id, self.form(message.list_id))

    @property
    def one_text(self) -> bool:
        """A message comes through one list."""
        return True

    def present(self, message: MessageView) -> str | None:
        """The identifier."""
        return message.list_id


def _facts(message: MessageView, circumstances: Circumstances) -> Iterator[Offered]:
    del circumstances
    name = message.list_id
    if name:
        condition = {"field": "list", "test": "is", "values": [name]}
        yield Offered("list", name, condition, _phrase(message))


def _phrase(message: MessageView) -> str:
    """What List-Id calls the list before its angle brackets (RFC 2919, section 3)."""
    for text in message.header("List-Id"):
        return text.partition("<")[0].strip().strip('"')
    return ""


def _made(value: str, *_: Any) -> dict[str, Any]:
    return contains("list", value)


FIELDS = (
    Field(
        "list",
        ListCondition,
        aspects=(Aspect("list", "List", "More", labelled("is", "exists"), "a list’s identifier"),),
        prefixes=(Prefix("list", "the list it came through", _made),),
        facts=_facts,
        evidence={"list": EvidenceWords("list")},
    ),
)
