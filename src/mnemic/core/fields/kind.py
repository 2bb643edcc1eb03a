"""The field ``kind``: what kind of mail a message is."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal, get_args

from pydantic import Field as ModelField

from mnemic.core.bounds import MOST_VALUES
from mnemic.core.errors import at_most
from mnemic.core.fields.choice import ChoiceCondition
from mnemic.core.fields.condition import Given
from mnemic.core.fields.field import Aspect, EvidenceWords, Field, Offered, Prefix
from mnemic.core.message import Circumstances, Kind, KindName, MessageView

__all__ = ["FIELDS", "KINDS_OF_MAIL", "KIND_WORDS", "KindCondition"]

#: The kinds as people call them; the standard's reason follows.
KIND_WORDS: Mapping[str, str] = {
    "bounce": "a bounce",
    "auto_reply": "an automatic answer",
    "invitation": "an invitation",
    "notification": "an automatic notification",
    "discussion": "from a discussion list",
    "newsletter": "a newsletter",
    "personal": "personal",
}

#: The same of several messages.
KINDS_OF_MAIL: Mapping[str, str] = {
    "bounce": "bounces",
    "auto_reply": "automatic answers",
    "invitation": "invitations",
    "notification": "notifications",
    "discussion": "discussion lists",
    "newsletter": "newsletters",
    "personal": "personal",
}


class KindCondition(ChoiceCondition):
    """What kind of mail it is."""

    field: Literal["kind"]
    values: Annotated[tuple[KindName, ...], ModelField(min_length=1), at_most(MOST_VALUES)]

    statements: ClassVar = {"kind": {name: f"it is {words}" for name, words in KIND_WORDS.items()}}

    def reads(self, message: MessageView) -> Kind:
        """The kind, and what shows it."""
        return message.kind

    def answers(self, read: Kind, given: Given) -> Iterable[tuple[KindName, str]]:
        """The kind, and what shows it."""
        del given
        return ((read.name, read.reason),)


def _facts(message: MessageView, circumstances: Circumstances) -> Iterator[Offered]:
    del circumstances
    name = message.kind.name
    yield Offered("kind", _without_article(name), _is(name))


def _without_article(name: KindName) -> str:
    return KIND_WORDS[name].removeprefix("an ").removeprefix("a ")


def _is(value: str, *_: Any) -> dict[str, Any]:
    return {"field": "kind", "test": "is", "values": [value.lower()]}


def _in_words(value: str) -> str:
    name, colon, reason = value.partition(": ")

    return f"{KIND_WORDS.get(name, name)}{colon}{reason}"


#: As the editor lists them, from what is written to the owner to what machines write.
_LISTED: tuple[KindName, ...] = get_args(KindName)[::-1]

FIELDS = (
    Field(
        "kind",
        KindCondition,
        aspects=(
            Aspect(
                "kind",
                "Kind",
                "Usual",
                (("is", "is"),),
                "pick",
                values="choice",
                choices=tuple(
                    (name, _without_article(name).removeprefix("from a ")) for name in _LISTED
                ),
            ),
        ),
        prefixes=(
            Prefix(
                "kind",
                "what kind of mail it is",
                _is,
                choices={name: KIND_WORDS[name] for name in get_args(KindName)},
            ),
        ),
        facts=_facts,
        evidence={
            "kind": EvidenceWords(
                value=_in_words, because=lambda value: _in_words(value).partition(": ")[0]
            )
        },
    ),
)
