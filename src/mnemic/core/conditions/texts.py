"""Conditions on texts: the test, the forms that are compared, and what is looked at."""

import re
from abc import abstractmethod
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import chain
from typing import Literal, NamedTuple, Self, TypeAlias

from pydantic import Field, StrictBool, model_validator

from mnemic.core.conditions.evidence import BaseCondition, Evidence, Given, NonEmptyTexts
from mnemic.core.errors import Problem, invalid
from mnemic.core.folding import FoldedSpans, exact, fold
from mnemic.core.message import MessageView
from mnemic.core.text_tests import Find, TextTest, finder, pattern_problem

__all__ = [
    "Candidate",
    "Channel",
    "ListedTextCondition",
    "NamedHeaderCondition",
    "TextCondition",
    "TextTestCondition",
]

TextField: TypeAlias = Literal["subject", "body", "text"]
PlainTextTest: TypeAlias = Literal["contains", "words", "is", "begins", "ends", "wildcard", "regex"]


class Channel(NamedTuple):
    """Texts that are looked at together: of a field (and part or name), in one comparable form."""

    field: str
    part: str
    exact: bool


@dataclass(frozen=True, slots=True)
class Candidate:
    """One piece of a message that a condition looks at.

    ``original`` is shown to people; ``comparable`` is what tests compare. ``spans_map`` tells that
    spans of ``comparable`` map back through folding (not so where a domain was brought into its
    IDNA form: then the whole piece is the evidence).
    """

    where: str
    original: str
    comparable: str
    spans_map: bool = True


class TextTestCondition(BaseCondition):
    """A condition whose test compares text ("Comparing text" in the rule document)."""

    test: TextTest
    values: NonEmptyTexts
    case: StrictBool = False

    @property
    @abstractmethod
    def channels(self) -> tuple[Channel, ...]:
        """Which texts are looked at, and in which form."""

    @abstractmethod
    def candidates(self, message: MessageView, channel: Channel) -> Iterator[Candidate]:
        """The pieces of the message that a channel holds."""

    def comparables(self, message: MessageView, channel: Channel) -> tuple[str, ...]:
        """The comparable forms of the candidates, made once for each message and channel."""
        found = message.cache.get(channel)
        if found is None:
            found = tuple(each.comparable for each in self.candidates(message, channel))
            message.cache[channel] = found
        return found

    def _known(self, message: MessageView, channel: Channel) -> tuple[Candidate, ...]:
        """The pieces of the message that a channel holds, folded once for each message."""
        key = ("candidates", channel)
        found = message.cache.get(key)
        if found is None:
            found = tuple(self.candidates(message, channel))
            message.cache[key] = found
            message.cache.setdefault(channel, tuple(each.comparable for each in found))
        return found

    def form(self, text: str) -> str:
        """The form in which texts of the message are compared."""
        return exact(text) if self.is_exact else fold(text)

    @property
    def is_exact(self) -> bool:
        """Whether texts keep their case; a regex reads it, and turns caseless by itself."""
        return self.case or self.test == "regex"

    def comparable_value(self, value: str) -> str:
        """A value in the form in which it is compared."""
        return exact(value) if self.case else fold(value)

    def _value_problem(self, value: str) -> str | None:
        if self.test == "regex":
            return pattern_problem(value)
        if not self.comparable_value(value):
            return "holds nothing that could be compared; type at least one character"
        return None

    @model_validator(mode="after")
    def _values_can_be_used(self) -> Self:
        problems = [
            Problem(f"values[{position}]", problem)
            for position, value in enumerate(self.values or ())
            if (problem := self._value_problem(value))
        ]
        if problems:
            raise invalid(problems)
        return self

    @cached_property
    def comparable_values(self) -> tuple[str, ...]:
        """The values in the form in which they are compared; patterns stay as they are written."""
        if self.test == "regex":
            return self.values
        return tuple(map(self.comparable_value, self.values))

    @cached_property
    def find(self) -> Find:
        """Finds the first span of a comparable text that passes the test, or None."""
        return finder(self.test, self.comparable_values, case=self.case)

    def holds(self, message: MessageView, given: Given) -> bool:
        """Whether one of the texts passes."""
        del given
        find = self.find
        for channel in self.channels:
            for text in self.comparables(message, channel):
                if find(text) is not None:
                    return True
        return False

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """The first text that passes, with the span that does."""
        del given
        for candidate in chain(*(self._known(message, each) for each in self.channels)):
            span = self.find(candidate.comparable)
            if span is None:
                continue
            if not candidate.spans_map:
                return Evidence.whole(candidate.where, candidate.original)
            comparable = candidate.comparable
            spans = FoldedSpans(candidate.original, case=self.is_exact, folded=comparable)
            return Evidence(candidate.where, candidate.original, spans.original(*span))
        return None


class TextCondition(TextTestCondition):
    """A condition on the subject, the body, or either."""

    field: TextField
    test: PlainTextTest

    @cached_property
    def channels(self) -> tuple[Channel, ...]:
        """The subject, the body, or both."""
        fields = ("subject", "body") if self.field == "text" else (self.field,)
        return tuple(Channel(field, "", self.is_exact) for field in fields)

    def candidates(self, message: MessageView, channel: Channel) -> Iterator[Candidate]:
        """The subject or the body; its comparable form is made once for a message."""
        text = message.body if channel.field == "body" else message.subject
        if text is not None:
            known = message.cache.get(channel)
            yield Candidate(channel.field, text, known[0] if known else self.form(text))


class ExistsOrTextCondition(TextTestCondition):
    """A text condition that may also ask whether there is anything to look at."""

    test: Literal["contains", "words", "is", "begins", "ends", "wildcard", "regex", "exists"]  # type: ignore[assignment] # one more than texts have
    values: NonEmptyTexts | None = None  # type: ignore[assignment] # none with `exists`

    @model_validator(mode="after")
    def _values_unless_exists(self) -> Self:
        if self.test != "exists" and self.values is None:
            raise invalid([Problem("values", "is missing")])
        if self.test == "exists" and self.values is not None:
            raise invalid([Problem("values", "does not apply to “exists”; leave it out")])
        if self.test == "exists" and self.case:
            raise invalid([Problem("case", "does not apply to “exists”; leave it out")])
        return self

    @abstractmethod
    def present(self, message: MessageView) -> str | None:
        """What shows that there is something, or None where there is nothing."""

    def holds(self, message: MessageView, given: Given) -> bool:
        """Whether there is something, or one of the texts passes."""
        if self.test == "exists":
            return self.present(message) is not None
        return super().holds(message, given)

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """What is there, or the text that passes."""
        if self.test != "exists":
            return super().evidence(message, given)
        found = self.present(message)
        return None if found is None else Evidence.whole(self.field, found)


#: RFC 5322, section 3.6.8: a field name is printable ASCII without a colon.
_FIELD_NAME = re.compile(r"[!-9;-~]+")


class NamedHeaderCondition(ExistsOrTextCondition):
    """A condition on every occurrence of a header field."""

    field: Literal["header"]
    name: str = Field(min_length=1)

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

    def present(self, message: MessageView) -> str | None:
        """The first occurrence."""
        return next(iter(message.header(self.name)), None)


class ListedTextCondition(ExistsOrTextCondition):
    """A condition on the list's identifier, or on the attachments' names or media types."""

    field: Literal["list", "attachment", "attachment_type"]

    @model_validator(mode="after")
    def _no_exists_on_types(self) -> Self:
        if self.field == "attachment_type" and self.test == "exists":
            allowed = "contains, words, is, begins, ends, wildcard, regex"
            raise invalid([Problem("test", f'"exists" is not known here; allowed: {allowed}')])
        return self

    @cached_property
    def channels(self) -> tuple[Channel, ...]:
        """The field and the form."""
        return (Channel(self.field, "", self.is_exact),)

    def _texts(self, message: MessageView) -> Iterator[str]:
        if self.field == "list":
            if message.list_id is not None:
                yield message.list_id
        elif self.field == "attachment":
            yield from (each.name for each in message.attachments if each.name)
        else:
            yield from (each.media_type for each in message.attachments)

    def candidates(self, message: MessageView, channel: Channel) -> Iterator[Candidate]:
        """The identifier, or each attachment's name or type."""
        del channel
        for text in self._texts(message):
            yield Candidate(self.field, text, self.form(text))

    def present(self, message: MessageView) -> str | None:
        """The identifier, or the first attachment (its type, where it has no name)."""
        if self.field == "list":
            return message.list_id
        first = next(iter(message.attachments), None)
        return None if first is None else first.name or first.media_type
