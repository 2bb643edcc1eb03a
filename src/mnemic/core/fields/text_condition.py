"""Conditions on texts: the test, the forms that are compared, and what is looked at."""

from abc import abstractmethod
from collections.abc import Hashable, Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import chain
from typing import ClassVar, Literal, NamedTuple, Self, TypeAlias, get_args

from pydantic import StrictBool, model_validator

from mnemic.core.errors import Problem, invalid
from mnemic.core.fields.condition import (
    VERBS,
    BaseCondition,
    Evidence,
    Given,
    NonEmptyTexts,
)
from mnemic.core.fields.text_logic import Sought, can_not_both_pass, follows
from mnemic.core.message import MessageView
from mnemic.core.text.folding import FoldedSpans, exact, fold
from mnemic.core.text.plain_pieces import as_folded, pieces_of_pattern, pieces_of_wildcard
from mnemic.core.text.text_tests import Find, TextTest, finder, pattern_problem
from mnemic.core.wording import Phrase, listed, strong

__all__ = [
    "Candidate",
    "Channel",
    "ExistsOrTextCondition",
    "PlainTextTest",
    "TextTestCondition",
    "labelled",
]

PlainTextTest: TypeAlias = Literal["contains", "words", "is", "begins", "ends", "wildcard", "regex"]

#: What the editor calls each test.
_LABELS = {
    "contains": "contains",
    "words": "has the words",
    "is": "is",
    "begins": "begins with",
    "ends": "ends with",
    "wildcard": "matches * and ?",
    "regex": "matches pattern",
    "under": "is or is below",
    "exists": "is there",
}


def labelled(*first: str) -> tuple[tuple[str, str], ...]:
    """Tests with their labels for the editor: those that are named, then the others of a text."""
    others = (test for test in get_args(PlainTextTest) if test not in first)
    return tuple((test, _LABELS[test]) for test in (*first, *others))


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
        texts = message.cache.get(channel)
        if texts is None:
            texts = tuple(candidate.comparable for candidate in self.candidates(message, channel))
            message.cache[channel] = texts
        return texts

    def _known(self, message: MessageView, channel: Channel) -> tuple[Candidate, ...]:
        """The pieces of the message that a channel holds, folded once for each message."""
        key = ("candidates", channel)
        known = message.cache.get(key)
        if known is None:
            known = tuple(self.candidates(message, channel))
            message.cache[key] = known
            message.cache.setdefault(channel, tuple(value.comparable for value in known))
        return known

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
        """What texts are compared with: each value in one form or more, a pattern as it stands."""
        if self.test == "regex":
            return self.values
        return tuple(map(self.comparable_value, self.values))

    @cached_property
    def plain_pieces(self) -> tuple[tuple[str, ...], ...]:
        """What a text that passes holds in its folded form, all of it, for each value."""
        if self.test == "regex":
            written = [pieces_of_pattern(value) for value in self.values]
        elif self.test == "wildcard":
            written = [pieces_of_wildcard(value) for value in self.comparable_values]
        else:
            written = [(value,) for value in self.comparable_values]
        if not self.is_exact:
            return tuple(written)
        return tuple(tuple(chain(*map(as_folded, pieces))) for pieces in written)

    @cached_property
    def find(self) -> Find:
        """Finds the first span of a comparable text that passes the test, or None."""
        return finder(self.test, self.comparable_values, case=self.case)

    @property
    def reading(self) -> Hashable:
        """The channels."""
        return self.channels

    def reads(self, message: MessageView) -> tuple[str, ...]:
        """The comparable texts."""
        channels = self.channels
        if len(channels) == 1:  # almost always
            return self.comparables(message, channels[0])
        return tuple(chain(*(self.comparables(message, channel) for channel in channels)))

    def found(self, read: tuple[str, ...], given: Given) -> Evidence | None:
        """The first text that passes, in its comparable form."""
        del given
        for text in read:
            span = self.find(text)
            if span is not None:
                return Evidence(self.field, text, span)
        return None

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
        for candidate in chain(*(self._known(message, channel) for channel in self.channels)):
            span = self.find(candidate.comparable)
            if span is None:
                continue
            if not candidate.spans_map:
                return Evidence.whole(candidate.where, candidate.original)
            comparable = candidate.comparable
            spans = FoldedSpans(candidate.original, case=self.is_exact, folded=comparable)
            return Evidence(candidate.where, candidate.original, spans.original(*span))
        return None

    # Saying

    def phrases(self, *, turned: bool = False) -> list[Phrase]:
        """The statement: "the subject has the word permit (in exactly this case)"."""
        exactly = [Phrase(" (in exactly this case)")] if self.case else []
        verb = VERBS[self._verb()][turned and not self.has_several]
        noun = self._noun_phrases(turned=turned)
        return [*noun, Phrase(f" {verb} "), *listed(strong(self.values), "or"), *exactly]

    @property
    def has_several(self) -> bool:
        """Whether a message may have several such texts: turned round, none of them may pass."""
        return self.field in self.none_of

    def _noun_phrases(self, *, turned: bool) -> list[Phrase]:
        return [Phrase(self._noun(turned=turned))]

    def _verb(self) -> str:
        one_word = self.test == "words" and all(" " not in value for value in self.values)
        return "word" if one_word else self.test

    # Logic

    @property
    def sought(self) -> Sought:
        """The test with its first value."""
        return Sought(self.test, self.comparable_values[0], self.find)

    def looks_among(self, other: "TextTestCondition") -> bool:
        """Whether each text it looks at is among those that ``other`` looks at."""
        return self.is_exact == other.is_exact and self.same_texts(other)

    def same_texts(self, other: "TextTestCondition") -> bool:
        """Whether both look at the same texts, in whatever form."""
        return self.field == other.field

    @property
    def one_text(self) -> bool:
        """Whether a message has one text of the field at most."""
        return False

    def implies(self, other: BaseCondition) -> bool:
        """What passes here passes there, on the same text."""
        if not isinstance(other, TextTestCondition):
            return False
        if other.asks_presence or self.asks_presence:
            return other.asks_presence and self.shows(other)
        return self.looks_among(other) and all(
            follows(Sought(self.test, value, self.find), other.sought)
            for value in self.comparable_values
        )

    def excludes(self, other: BaseCondition) -> bool:
        """Only where a message has one such text can two tests exclude each other."""
        if not isinstance(other, TextTestCondition) or self.asks_presence or other.asks_presence:
            return False
        alike = self.one_text and self.looks_among(other)
        return alike and can_not_both_pass(self.sought, other.sought)

    @property
    def asks_presence(self) -> bool:
        """Whether it asks only if there is anything to look at."""
        return False

    def shows(self, other: "TextTestCondition") -> bool:
        """Whether there is what ``other`` asks for wherever this condition holds."""
        return self.same_texts(other)


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

    #: What is said where it is there, and where it is not.
    presence: ClassVar[tuple[str, str]]

    @property
    def asks_presence(self) -> bool:
        """Whether it asks only if there is anything to look at."""
        return self.test == "exists"

    @abstractmethod
    def present(self, message: MessageView) -> str | None:
        """What shows that there is something, or None where there is nothing."""

    @property
    def reading(self) -> Hashable:
        """The channels; what is present may be told by less than its texts."""
        return (self.asks_presence, self.channels)

    def reads(self, message: MessageView) -> tuple[str, ...]:
        """What is there, or the comparable texts."""
        if not self.asks_presence:
            return super().reads(message)
        present = self.present(message)
        return () if present is None else (present,)

    def found(self, read: tuple[str, ...], given: Given) -> Evidence | None:
        """What is there, or the text that passes."""
        if not self.asks_presence:
            return super().found(read, given)
        return Evidence.whole(self.field, read[0]) if read else None

    def holds(self, message: MessageView, given: Given) -> bool:
        """Whether there is something, or one of the texts passes."""
        if self.asks_presence:
            return self.present(message) is not None
        return super().holds(message, given)

    def evidence(self, message: MessageView, given: Given) -> Evidence | None:
        """What is there, or the text that passes."""
        if self.asks_presence:
            return self.found(self.reads(message), given)
        return super().evidence(message, given)

    def phrases(self, *, turned: bool = False) -> list[Phrase]:
        """The statement: "it has no attachment"."""
        if self.asks_presence:
            return [Phrase(self.presence[turned])]
        return super().phrases(turned=turned)
