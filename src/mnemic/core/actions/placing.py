"""The actions ``file``, ``keep``, ``archive``, ``trash`` and ``erase``: where a message goes."""

from collections.abc import Sequence
from typing import ClassVar, Literal

from mnemic.core.actions.action import ActionKind, BaseAction, FolderPath, Slot
from mnemic.core.actions.decision import Decision, Place
from mnemic.core.actions.effect import MoveTo, Role
from mnemic.core.events import Event
from mnemic.core.wording import Phrase, spoken_path

__all__ = ["ACTIONS", "FileAction", "PlaceAction"]


class FileAction(BaseAction):
    """Move the message into a folder."""

    do: Literal["file"]
    folder: FolderPath

    slot: ClassVar[Slot] = "place"

    def decide(self, decision: Decision) -> None:
        """The folder is set."""
        decision.place, decision.folder = "folder", self.folder

    def effect(self, event: Event) -> MoveTo:
        """A move."""
        del event
        return MoveTo(path=self.folder)

    def phrases(self, runs: Sequence[Event] = ("arrival",)) -> list[Phrase]:
        """The order."""
        del runs
        return [Phrase("file it in "), Phrase(spoken_path(self.folder), strong=True)]

    def deed(self) -> str:
        """The deed."""
        return f"filed in {spoken_path(self.folder)}"

    def deed_by_hand(self) -> str:
        """People move."""
        return f"moved to {spoken_path(self.folder)}"


_PLACES: dict[str, Place] = {
    "keep": "inbox",
    "archive": "archive",
    "trash": "trash",
    "erase": "erased",
}
_ROLES: dict[str, Role] = {
    "keep": "inbox",
    "archive": "archive",
    "trash": "trash",
    "erase": "erased",
}
_ORDERS = {
    "keep": "keep it in the inbox",
    "archive": "archive it",
    "trash": "put it in the trash",
    "erase": "delete it for good",
}
_DEEDS = {
    "keep": "kept in the inbox",
    "archive": "archived",
    "trash": "moved to the trash",
    "erase": "erased",
}


class PlaceAction(BaseAction):
    """Keep the message, archive it, put it in the trash, or delete it for good.

    Kept, it stays in the inbox as it arrives, and on every other event where it is.
    """

    do: Literal["keep", "archive", "trash", "erase"]

    slot: ClassVar[Slot] = "place"

    def decide(self, decision: Decision) -> None:
        """The place is set."""
        decision.place = _PLACES[self.do]

    def effect(self, event: Event) -> MoveTo | None:
        """A move; to be kept is one as the message arrives."""
        if self.do == "keep" and event != "arrival":
            return None
        return MoveTo(_ROLES[self.do])

    def phrases(self, runs: Sequence[Event] = ("arrival",)) -> list[Phrase]:
        """The order."""
        if self.do == "keep" and "arrival" not in runs:
            return [Phrase("leave it where it is")]
        return [Phrase(_ORDERS[self.do])]

    def deed(self) -> str:
        """The deed."""
        return _DEEDS[self.do]

    def deed_by_hand(self) -> str:
        """A person who keeps a message puts it back into the inbox."""
        return "moved to the inbox" if self.do == "keep" else self.deed()


#: RFC 9051, section 5.1: every mailbox has one of this name.
_INBOX = "Inbox"

ACTIONS = (
    ActionKind("keep", PlaceAction, "keep in the inbox", "Keep it in the inbox"),
    ActionKind("file", FileAction, "file in {folder}", "Move it to the inbox", {"folder": _INBOX}),
    ActionKind("archive", PlaceAction, "archive", "Archive it"),
    ActionKind("trash", PlaceAction, "to the trash", "Move it to the trash"),
    ActionKind("erase", PlaceAction, "erase", "Erase it"),
)
