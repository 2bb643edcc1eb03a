"""What a rule does with the mail it takes: the model of each action.

An action that sets a *slot* (a place, a colour …) competes with others for it: of all rules that
take a message, the first that sets a slot wins. Actions without a slot add up.
"""

from typing import Annotated, Any, ClassVar, Literal, TypeAlias, get_args

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Discriminator,
    Field,
    StrictInt,
    StringConstraints,
    Tag,
    ValidationInfo,
)
from pydantic_core import PydanticCustomError

from mnemic.core.bounds import MOST_NAME, MOST_REPLY, MOST_VALUE, MOST_VALUES
from mnemic.core.errors import at_most, is_stored, plain_name, plain_text
from mnemic.core.message import Priority

__all__ = [
    "ACTIONS",
    "Action",
    "AnyAction",
    "ColourAction",
    "ColourName",
    "CopyAction",
    "FileAction",
    "ForwardAction",
    "LabelAction",
    "MarkAction",
    "NotifyAction",
    "PlaceAction",
    "PriorityAction",
    "ReplyAction",
    "Slot",
    "UnlabelAction",
]

Slot: TypeAlias = Literal["place", "seen", "flagged", "colour", "priority"]
ColourName: TypeAlias = Literal[
    "moss", "clay", "harbour", "plum", "straw", "slate", "rose", "lagoon"
]
Sound: TypeAlias = Literal["bell", "knock", "ripple"]


def _folder_path(value: str, info: ValidationInfo) -> str:
    levels = [level.strip() for level in value.split("/")]
    if not all(levels):
        raise PydanticCustomError(
            "folder_path", "a folder path has a name at every level, as in Moorings/Permits"
        )
    if any(len(level) > MOST_NAME for level in levels) and not is_stored(info):
        raise PydanticCustomError(
            "folder_path", "a folder’s name has at most {most} characters", {"most": MOST_NAME}
        )
    return plain_name("/".join(levels), info)


def _address(value: str, info: ValidationInfo) -> str:
    local, at, domain = value.strip().rpartition("@")
    if not at or not local or not domain or any(character.isspace() for character in domain):
        raise PydanticCustomError("address", "has to be an address like name@domain")
    return plain_name(value.strip(), info)


#: A folder's path, "/" between levels, white space around names dropped.
FolderPath: TypeAlias = Annotated[str, at_most(MOST_VALUE), AfterValidator(_folder_path)]
LabelName: TypeAlias = Annotated[
    str,
    StringConstraints(strip_whitespace=True, min_length=1),
    at_most(MOST_NAME),
    AfterValidator(plain_name),
]
#: An address to which mail is sent on.
AddressTo: TypeAlias = Annotated[str, at_most(MOST_VALUE), AfterValidator(_address)]


class _ActionModel(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)

    @property
    def slot(self) -> Slot | None:
        """The slot it sets, or None where it adds up with others."""
        return None


class FileAction(_ActionModel):
    """Move the message into a folder."""

    do: Literal["file"]
    folder: FolderPath

    slot: ClassVar[Slot] = "place"


class PlaceAction(_ActionModel):
    """Keep the message, archive it, put it in the trash, or delete it for good.

    Kept, it stays in the inbox as it arrives, and on every other event where it is.
    """

    do: Literal["keep", "archive", "trash", "erase"]

    slot: ClassVar[Slot] = "place"


class CopyAction(_ActionModel):
    """Put a copy of the message into a folder."""

    do: Literal["copy"]
    folder: FolderPath


class LabelAction(_ActionModel):
    """Put a label on the message."""

    do: Literal["label"]
    label: LabelName


class UnlabelAction(_ActionModel):
    """Take a label off the message."""

    do: Literal["unlabel"]
    label: LabelName


class MarkAction(_ActionModel):
    """Mark the message as read or unread, or set or take off its flag."""

    do: Literal["read", "unread", "flag", "unflag"]

    @property
    def slot(self) -> Slot:
        """Read and unread set one slot, the flag another."""
        return "seen" if self.do in ("read", "unread") else "flagged"

    @property
    def sets(self) -> bool:
        """What the slot is set to."""
        return self.do in ("read", "flag")


class ColourAction(_ActionModel):
    """Colour the message."""

    do: Literal["colour"]
    colour: ColourName

    slot: ClassVar[Slot] = "colour"


class PriorityAction(_ActionModel):
    """Set how important the message is."""

    do: Literal["priority"]
    level: Priority

    slot: ClassVar[Slot] = "priority"


class ForwardAction(_ActionModel):
    """Send the message on."""

    do: Literal["forward"]
    to: Annotated[tuple[AddressTo, ...], Field(min_length=1), at_most(MOST_VALUES)]


class ReplyAction(_ActionModel):
    """Answer the sender, at most once in ``every`` days."""

    do: Literal["reply"]
    text: Annotated[
        str, StringConstraints(min_length=1), at_most(MOST_REPLY), AfterValidator(plain_text)
    ]
    subject: (
        Annotated[
            str, StringConstraints(min_length=1), at_most(MOST_VALUE), AfterValidator(plain_name)
        ]
        | None
    ) = None
    every: Annotated[StrictInt, Field(ge=1, le=3650)] = 7


class NotifyAction(_ActionModel):
    """Tell the owner, with a sound."""

    do: Literal["notify"]
    sound: Sound | None = None


AnyAction: TypeAlias = (
    FileAction
    | PlaceAction
    | CopyAction
    | LabelAction
    | UnlabelAction
    | MarkAction
    | ColourAction
    | PriorityAction
    | ForwardAction
    | ReplyAction
    | NotifyAction
)

#: Every kind of action, by its name in ``do``.
ACTIONS: dict[str, type[AnyAction]] = {
    name: model
    for model in get_args(AnyAction)
    for name in get_args(model.model_fields["do"].annotation)
}


def _action_tag(value: Any) -> str | None:
    """Which action a value is. Tags stand in <>, so that error paths can leave them out."""
    if isinstance(value, BaseModel):
        return f"<{type(value).__name__}>"
    name = value.get("do") if isinstance(value, dict) else None
    model = ACTIONS.get(name) if isinstance(name, str) else None
    return None if model is None else f"<{model.__name__}>"


Action: TypeAlias = Annotated[
    Annotated[FileAction, Tag("<FileAction>")]
    | Annotated[PlaceAction, Tag("<PlaceAction>")]
    | Annotated[CopyAction, Tag("<CopyAction>")]
    | Annotated[LabelAction, Tag("<LabelAction>")]
    | Annotated[UnlabelAction, Tag("<UnlabelAction>")]
    | Annotated[MarkAction, Tag("<MarkAction>")]
    | Annotated[ColourAction, Tag("<ColourAction>")]
    | Annotated[PriorityAction, Tag("<PriorityAction>")]
    | Annotated[ForwardAction, Tag("<ForwardAction>")]
    | Annotated[ReplyAction, Tag("<ReplyAction>")]
    | Annotated[NotifyAction, Tag("<NotifyAction>")],
    Discriminator(
        _action_tag, custom_error_type="not_an_action", custom_error_message="not an action"
    ),
]
