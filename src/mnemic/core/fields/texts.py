"""The fields ``subject``, ``body`` and ``text``, which is either of them."""

import re
from collections.abc import Iterator
from functools import cached_property
from typing import Any, ClassVar, Literal

from mnemic.core.fields.condition import BaseCondition
from mnemic.core.fields.field import Aspect, Field, MadeTest, Offered, Prefix, contains
from mnemic.core.fields.text_condition import (
    Candidate,
    Channel,
    PlainTextTest,
    TextTestCondition,
    labelled,
)
from mnemic.core.message import Circumstances, MessageView

__all__ = ["FIELDS", "TextCondition"]


class TextCondition(TextTestCondition):
    """A condition on the subject, the body, or either."""

    field: Literal["subject", "body", "text"]
    test: PlainTextTest

    nouns: ClassVar = {
        "subject": "the subject",
        "body": "the text",
        "text": "the subject or the text",
    }

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

    @property
    def one_text(self) -> bool:
        """A message has one subject and one body."""
        return self.field != "text"

    def singles(self) -> Iterator[BaseCondition]:
        """Of either, one for each."""
        fields = ("subject", "body") if self.field == "text" else (self.field,)
        for value in self.values:
            for field in fields:
                yield self.with_values((value,), field=field)


#: A word of a subject: what ``words`` takes for one, with what joins it inside (WL-2207, Heron's).
_WORD = re.compile(r"\w+(?:[-’'.]\w+)*")

#: Words of a subject that are offered; more would be a text, not facts.
_WORDS = 16


def _facts(message: MessageView, circumstances: Circumstances) -> Iterator[Offered]:
    del circumstances
    words = dict.fromkeys(_WORD.findall(message.subject or ""))
    for word in list(words)[:_WORDS]:
        yield Offered("subject", word, {"field": "subject", "test": "words", "values": [word]})


def _aspect(field: str, label: str) -> Aspect:
    return Aspect(field, label, "Usual", labelled("words"), "word or phrase")


def _contains(field: str) -> MadeTest:
    def made(value: str, *_: Any) -> dict[str, Any]:
        return contains(field, value)

    return made


FIELDS = (
    Field(
        "subject",
        TextCondition,
        aspects=(_aspect("subject", "Subject"),),
        prefixes=(Prefix("subject", "words of the subject", _contains("subject")),),
        facts=_facts,
        many_facts=True,
    ),
    Field(
        "body",
        TextCondition,
        aspects=(_aspect("body", "Body"),),
        prefixes=(Prefix("body", "words of the text", _contains("body")),),
    ),
    Field("text", TextCondition, aspects=(_aspect("text", "Subject or body"),)),
)
