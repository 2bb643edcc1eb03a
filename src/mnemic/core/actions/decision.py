"""What the actions of the rules that took a message come to: each adds what it does."""

from collections.abc import Hashable
from typing import Literal, TypeAlias

from mnemic.core.fields import Given
from mnemic.core.message import MessageView, Priority

__all__ = ["Decision", "Place"]

Place: TypeAlias = Literal["inbox", "folder", "archive", "trash", "erased"]


class Decision:
    """Collects what is to become of one message; ``message`` and ``given`` are what rules saw."""

    def __init__(self, message: MessageView, given: Given) -> None:
        self.message, self.given = message, given
        self.claimed_by: dict[Hashable, str] = {}
        self.place: Place | None = None
        self.folder: str | None = None
        self.copies: list[str] = []
        self.labels: list[str] = []
        self.unlabels: list[str] = []
        self.seen: bool | None = None
        self.flagged: bool | None = None
        self.colour: str | None = None
        self.priority: Priority | None = None
        self.forward: list[str] = []
        self.reply = False
        self.notify: list[str] = []
