"""The field ``header``: every occurrence of a header field, by its name."""

import re
from collections.abc import Iterator
from functools import cached_property
from typing import Literal, Self

from pydantic import Field as ModelField
from pydantic import model_validator

from mnemic.core.errors import Problem, invalid
from mnemic.core.fields.field import Aspect, Field
from mnemic.core.fields.text_condition import (
    Candidate,
    Channel,
    ExistsOrTextCondition,
    TextTestCondition,
    labelled,
)
from mnemic.core.message import MessageView
from mnemic.core.wording import Phrase

__all__ = ["FIELDS", "NamedHeaderCondition"]

#: RFC 5322, section 3.6.8: a field name is printable ASCII without a colon.
_FIELD_NAME = re.compile(r"[!-9;-~]+")


class NamedHeaderCondition(ExistsOrTextCondition):
    """A condition on every occurrence of a header field."""

    field: Literal["header"]
    name: str = ModelField(min_length=1)

    @model_validator(mode="after")
    def _name_is_a_field_name(self) -> Self:
        if not _FIELD_NAME.fullmatch(self.name):
            message = "has to be a header field's name: printable ASCII without space or colon"
            raise invalid([Problem("name", message)])
        return self

    @cached_property
    def channels(self) -> tuple[Channel, ...]:
        """The field and the form."""
        return (Channel("header", self.name.lower(), self.is_exact),)

    def candidates(self, message: MessageView, channel: Channel) -> Iterator[Candidate]:
        """Every occurrence."""
        del channel
        for value in message.header(self.name):
            yield Candidate(self.name, value, self.form(value))

    def comparables(self, message: MessageView, channel: Channel) -> tuple[str, ...]:
        """The occurrences, without what evidence would want: half the time."""
        texts = message.cache.get(channel)
        if texts is None:
            texts = message.cache[channel] = tuple(map(self.form, message.header(self.name)))
        return texts

    def present(self, message: MessageView) -> str | None:
        """The first occurrence."""
        return next(iter(message.header(self.name)), None)

    @property
    def has_several(self) -> bool:
        """A header field may come several times."""
        return True

    def _noun_phrases(self, *, turned: bool) -> list[Phrase]:
        lead = "no header field " if turned else "the header field "
        return [Phrase(lead), Phrase(self.name, strong=True)]

    def phrases(self, *, turned: bool = False) -> list[Phrase]:
        """The statement: "the header field X-Tag is there"."""
        if self.asks_presence:
            return [*self._noun_phrases(turned=turned), Phrase(" is there")]
        return super().phrases(turned=turned)

    def same_texts(self, other: TextTestCondition) -> bool:
        """Header fields of one name; case does not count in it (RFC 5322, section 1.2.2)."""
        if not isinstance(other, NamedHeaderCondition):
            return False
        return self.name.lower() == other.name.lower()


FIELDS = (
    Field(
        "header",
        NamedHeaderCondition,
        aspects=(
            Aspect("header", "Header field", "More", labelled("contains", "exists"), "its value"),
        ),
    ),
)
