"""The fields ``attachment`` and ``attachment_type``: names and media types (RFC 2045)."""

from collections.abc import Iterator
from functools import cached_property
from typing import Any, ClassVar, Literal, get_args

from pydantic import model_validator

from mnemic.core.errors import Problem, invalid
from mnemic.core.fields.field import Aspect, EvidenceWords, Field, Offered, Prefix, contains
from mnemic.core.fields.text_condition import (
    Candidate,
    Channel,
    ExistsOrTextCondition,
    PlainTextTest,
    TextTestCondition,
    labelled,
)
from mnemic.core.message import Circumstances, MessageView

__all__ = ["FIELDS", "AttachmentCondition", "AttachmentTypeCondition"]

#: Attachments that are offered as facts.
_OFFERED = 16


class AttachmentCondition(ExistsOrTextCondition):
    """A condition on the names of attachments, or on there being one."""

    field: Literal["attachment"]

    nouns: ClassVar = {"attachment": "an attachment’s name"}
    none_of: ClassVar = {"attachment": "no attachment’s name"}
    presence: ClassVar = ("it has an attachment", "it has no attachment")

    @cached_property
    def channels(self) -> tuple[Channel, ...]:
        """The field and the form."""
        return (Channel("attachment", "", self.is_exact),)

    def candidates(self, message: MessageView, channel: Channel) -> Iterator[Candidate]:
        """Each attachment's name."""
        del channel
        for attachment in message.attachments:
            if attachment.name:
                yield Candidate("attachment", attachment.name, self.form(attachment.name))

    def present(self, message: MessageView) -> str | None:
        """The first attachment's name, or its type where it has no name."""
        first = next(iter(message.attachments), None)
        return None if first is None else first.name or first.media_type


class AttachmentTypeCondition(TextTestCondition):
    """A condition on the media types of attachments."""

    field: Literal["attachment_type"]
    test: PlainTextTest

    nouns: ClassVar = {"attachment_type": "an attachment’s type"}
    none_of: ClassVar = {"attachment_type": "no attachment’s type"}

    @cached_property
    def channels(self) -> tuple[Channel, ...]:
        """The field and the form."""
        return (Channel("attachment_type", "", self.is_exact),)

    @model_validator(mode="before")
    @classmethod
    def _no_exists(cls, value: Any) -> Any:
        """Said by itself: that values are missing, too, would be wrong with ``exists``."""
        if isinstance(value, dict) and value.get("test") == "exists":
            allowed = ", ".join(get_args(PlainTextTest))
            raise invalid([Problem("test", f'"exists" is not known here; allowed: {allowed}')])
        return value

    def candidates(self, message: MessageView, channel: Channel) -> Iterator[Candidate]:
        """Each attachment's type."""
        del channel
        for attachment in message.attachments:
            media_type = attachment.media_type
            yield Candidate("attachment_type", media_type, self.form(media_type))

    def shows(self, other: TextTestCondition) -> bool:
        """Where there is a type, there is an attachment."""
        return isinstance(other, AttachmentCondition)


def _facts(message: MessageView, circumstances: Circumstances) -> Iterator[Offered]:
    del circumstances
    names = dict.fromkeys(attachment.name for attachment in message.attachments if attachment.name)
    for name in list(names)[:_OFFERED]:
        condition = {"field": "attachment", "test": "is", "values": [name]}
        yield Offered("attachment", name, condition)


def _made(value: str, *_: Any) -> dict[str, Any]:
    there: dict[str, Any] = {"field": "attachment", "test": "exists"}
    if value.lower() == "yes":
        return there
    return {"not": there} if value.lower() == "no" else contains("attachment", value)


FIELDS = (
    Field(
        "attachment",
        AttachmentCondition,
        aspects=(
            Aspect(
                "has-attachment",
                "Has an attachment",
                "Usual",
                (("exists", "is there"),),
                "word or phrase",
            ),
            Aspect("attachment", "Attachment’s name", "More", labelled(), "a file’s name"),
        ),
        prefixes=(Prefix("attachment", "“yes”, “no”, or words of its name", _made),),
        facts=_facts,
        evidence={"attachment": EvidenceWords("attachment")},
    ),
    Field(
        "attachment_type",
        AttachmentTypeCondition,
        aspects=(
            Aspect(
                "attachment_type",
                "Attachment’s type",
                "More",
                labelled("is", "contains", "begins"),
                "application/pdf",
            ),
        ),
        evidence={"attachment_type": EvidenceWords("attachment of type")},
    ),
)
