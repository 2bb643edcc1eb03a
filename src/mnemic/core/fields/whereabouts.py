"""The fields ``account``, ``folder`` and ``label``: where a message is, by name."""

from collections.abc import Callable, Iterator
from typing import Any, ClassVar, Literal

from mnemic.core.canonical import canonical_address
from mnemic.core.fields.choice import NamedCondition
from mnemic.core.fields.condition import Given, NonEmptyTexts
from mnemic.core.fields.field import Aspect, EvidenceWords, Field, Prefix
from mnemic.core.message import MessageView
from mnemic.core.text.folding import fold
from mnemic.core.wording import spoken_path

__all__ = ["FIELDS", "WhereaboutsCondition"]


class WhereaboutsCondition(NamedCondition):
    """The account it came to, the folder it is in, the labels it bears when the run starts."""

    field: Literal["account", "folder", "label"]
    values: NonEmptyTexts

    of_state: ClassVar = True
    nouns: ClassVar = {
        "account": "its account",
        "folder": "its folder",
        "label": "one of its labels",
    }
    none_of: ClassVar = {"label": "none of its labels"}

    @property
    def one_only(self) -> bool:
        """A message may bear many labels, but is in one folder of one account."""
        return self.field != "label"

    def reads(self, message: MessageView) -> None:
        """Nothing of the message."""
        del message

    def comparable(self, value: str) -> str:
        """An address in canonical form, a name folded."""
        return canonical_address(value) if self.field == "account" else fold(value)

    def answers(self, read: None, given: Given) -> Iterator[tuple[str, str]]:
        """The account, the folder, or each label."""
        del read
        state = given.state
        if self.field == "account":
            names = [] if state.account is None else [state.account]
        else:
            names = [state.folder] if self.field == "folder" else list(state.labels)
        for name in names:
            yield name, name


def _is(field: str) -> Callable[..., dict[str, Any]]:
    return lambda value, _: {"field": field, "test": "is", "values": [value]}


def _field(
    name: Literal["account", "folder", "label"],
    label: str,
    placeholder: str,
    *,
    searched: str,
    evidence: EvidenceWords,
) -> Field:
    return Field(
        name,
        WhereaboutsCondition,
        aspects=(Aspect(name, label, "State", (("is", "is"),), placeholder, completes=name),),
        prefixes=(Prefix(name, searched, _is(name)),),
        evidence={name: evidence},
    )


FIELDS = (
    _field(
        "folder",
        "Folder",
        "a folder’s path",
        searched="the folder it is in",
        evidence=EvidenceWords("in", spoken_path),
    ),
    _field(
        "label",
        "Label",
        "a label’s name",
        searched="a label it bears",
        evidence=EvidenceWords("labelled"),
    ),
    _field(
        "account",
        "Account",
        "its address",
        searched="the account it came to",
        evidence=EvidenceWords("account"),
    ),
)
