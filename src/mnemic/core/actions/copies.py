"""The action ``copy``."""

from collections.abc import Sequence
from typing import Literal

from mnemic.core.actions.action import ActionKind, BaseAction, FolderPath
from mnemic.core.actions.decision import Decision
from mnemic.core.actions.effect import CopyTo
from mnemic.core.canonical import canonical_path
from mnemic.core.events import Event
from mnemic.core.wording import Phrase, spoken_path

__all__ = ["ACTIONS", "CopyAction"]


class CopyAction(BaseAction):
    """Put a copy of the message into a folder."""

    do: Literal["copy"]
    folder: FolderPath

    def decide(self, decision: Decision) -> None:
        """One copy for each folder."""
        if canonical_path(self.folder) not in map(canonical_path, decision.copies):
            decision.copies.append(self.folder)

    def effect(self, event: Event) -> CopyTo:
        """A copy."""
        del event
        return CopyTo(self.folder)

    def outdone_by(self, earlier: BaseAction) -> bool:
        """A copy lies there already."""
        if not isinstance(earlier, CopyAction):
            return False
        return canonical_path(earlier.folder) == canonical_path(self.folder)

    def phrases(self, runs: Sequence[Event] = ("arrival",)) -> list[Phrase]:
        """The order."""
        del runs
        return [Phrase("copy it to "), Phrase(spoken_path(self.folder), strong=True)]

    def deed(self) -> str:
        """The deed."""
        return f"copied to {spoken_path(self.folder)}"


ACTIONS = (
    ActionKind(
        "copy",
        CopyAction,
        "copy to {folder}",
        "Copy it to a folder",
        {"folder": ""},
        needs=("folder",),
        input="folder",
    ),
)
