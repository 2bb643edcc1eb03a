"""The fields ``seen`` and ``flagged``: flags of a message (RFC 9051, section 2.3.2)."""

from collections.abc import Iterable
from typing import Annotated, Any, ClassVar, Literal, TypeAlias

from pydantic import BeforeValidator
from pydantic import Field as ModelField

from mnemic.core.bounds import MOST_VALUES
from mnemic.core.errors import at_most
from mnemic.core.fields.choice import ChoiceCondition
from mnemic.core.fields.condition import Given
from mnemic.core.fields.field import Aspect, EvidenceWords, Field, Prefix
from mnemic.core.message import MessageView

__all__ = ["FIELDS", "FlagCondition"]


def _truth(value: Any) -> Any:
    """The words true and false count as the values."""
    return {"true": True, "false": False}.get(value, value) if isinstance(value, str) else value


Truth: TypeAlias = Annotated[Literal[True, False], BeforeValidator(_truth)]


class FlagCondition(ChoiceCondition):
    """Whether the message is read, or flagged, when the run starts."""

    field: Literal["seen", "flagged"]
    values: Annotated[tuple[Truth, ...], ModelField(min_length=1), at_most(MOST_VALUES)]

    of_state: ClassVar = True
    statements: ClassVar = {
        "seen": {True: "it is read", False: "it is unread"},
        "flagged": {True: "it is flagged", False: "it is not flagged"},
    }

    def reads(self, message: MessageView) -> None:
        """Nothing of the message."""
        del message

    def answers(self, read: None, given: Given) -> Iterable[tuple[bool, str]]:
        """The flag."""
        del read
        state = given.state.seen if self.field == "seen" else given.state.flagged
        return ((state, self.field if state else f"not {self.field}"),)

    def opposite(self) -> "FlagCondition":
        """A flag is set, or it is not."""
        return self.with_values((not self.values[0],))


_WORDS = {
    "seen": "read",
    "not seen": "unread",
    "flagged": "flagged",
    "not flagged": "not flagged",
}
_EVIDENCE = EvidenceWords(value=lambda value: _WORDS.get(value, value))

_STATES: dict[str, tuple[str, bool]] = {
    "unread": ("seen", False),
    "read": ("seen", True),
    "flagged": ("flagged", True),
}


def _state(value: str, *_: Any) -> dict[str, Any]:
    field, wanted = _STATES[value.lower()]
    return {"field": field, "test": "is", "values": [wanted]}


def _aspect(field: str, label: str, when_set: str, when_not: str) -> Aspect:
    choices = ((True, when_set), (False, when_not))
    return Aspect(field, label, "State", (("is", "is"),), "pick", values="choice", choices=choices)


FIELDS = (
    Field(
        "seen",
        FlagCondition,
        aspects=(_aspect("seen", "Read", "read", "unread"),),
        prefixes=(
            Prefix(
                "state",
                "whether it is read or flagged",
                _state,
                choices=dict.fromkeys(_STATES, ""),
            ),
        ),
        evidence={"seen": _EVIDENCE},
    ),
    Field(
        "flagged",
        FlagCondition,
        aspects=(_aspect("flagged", "Flag", "flagged", "not flagged"),),
        evidence={"flagged": _EVIDENCE},
    ),
)
