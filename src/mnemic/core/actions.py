"""What a rule does with the mail it takes: the model of each action.

An action that sets a *slot* (a place, a colour …) competes with others for it: of all rules that
take a message, the first that sets a slot wins. Actions without a slot add up.
"""

from typing import Annotated, ClassVar, Literal, TypeAlias

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints
from pydantic_core import PydanticCustomError

__all__ = ["ACTIONS", "Action", "FileAction", "KeepAction", "LabelAction", "Slot"]

Slot: TypeAlias = Literal["place"]


def _folder_path(value: str) -> str:
    levels = [level.strip() for level in value.split("/")]
    if not all(levels):
        raise PydanticCustomError(
            "folder_path", "a folder path has a name at every level, as in Moorings/Permits"
        )
    return "/".join(levels)


#: A folder's path, "/" between levels, white space around names dropped.
FolderPath: TypeAlias = Annotated[str, AfterValidator(_folder_path)]
LabelName: TypeAlias = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1)]


class _ActionModel(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)

    slot: ClassVar[Slot | None] = None


class FileAction(_ActionModel):
    """Move the message into a folder."""

    slot: ClassVar[Slot | None] = "place"

    do: Literal["file"]
    folder: FolderPath


class KeepAction(_ActionModel):
    """Leave the message in the inbox."""

    slot: ClassVar[Slot | None] = "place"

    do: Literal["keep"]


class LabelAction(_ActionModel):
    """Put a label on the message."""

    do: Literal["label"]
    label: LabelName


Action: TypeAlias = Annotated[FileAction | KeepAction | LabelAction, Field(discriminator="do")]

#: Every kind of action, by its name in ``do``.
ACTIONS: dict[str, type[BaseModel]] = {"file": FileAction, "keep": KeepAction, "label": LabelAction}
