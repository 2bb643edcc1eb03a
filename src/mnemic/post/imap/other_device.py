"""A mailbox on a server as another device sees it: what Outside shows, and lets a person do there.

It has a connection of its own, and knows nothing of what Mnemic holds.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from email import message_from_bytes
from email.policy import default as modern
from typing import Literal, TypeAlias

from imapclient import IMAPClient

from mnemic.post.access import Access, words_of
from mnemic.post.failures import CommandRefusedError, ServerError
from mnemic.post.imap.connecting import connected

__all__ = ["DeviceAct", "Elsewhere", "FolderThere", "MailThere", "OtherDevice", "other_device"]

DeviceAct: TypeAlias = Literal["move", "read", "unread", "flag", "unflag", "delete"]

#: Messages of a folder that are shown.
_SHOWN = 40

_MARKS: dict[str, tuple[bytes, bool]] = {
    "read": (b"\\Seen", True),
    "unread": (b"\\Seen", False),
    "flag": (b"\\Flagged", True),
    "unflag": (b"\\Flagged", False),
}


@dataclass(frozen=True, slots=True)
class Elsewhere:
    """A server that runs beside Mnemic: its mailbox, and where it takes mail by SMTP."""

    access: Access
    smtp: tuple[str, int]


@dataclass(frozen=True, slots=True)
class FolderThere:
    """A folder as it lies on the server."""

    name: str
    messages: int
    unread: int


@dataclass(frozen=True, slots=True)
class MailThere:
    """A message as it lies on the server; ``keywords`` are the flags that are not the system's."""

    uid: int
    subject: str
    sender: str
    received: datetime
    seen: bool
    flagged: bool
    keywords: tuple[str, ...]


class OtherDevice:
    """Another device at the mailbox."""

    def __init__(self, client: IMAPClient) -> None:
        self._client = client

    def folders(self) -> list[FolderThere]:
        """Every folder, with how many messages lie in it and are unread."""
        folders_there = []
        for flags, _, name in self._client.list_folders():
            if b"\\noselect" in {flag.lower() for flag in flags}:
                continue
            status = self._client.folder_status(name, ["MESSAGES", "UNSEEN"])
            folders_there.append(FolderThere(str(name), status[b"MESSAGES"], status[b"UNSEEN"]))
        return folders_there

    def mail(self, folder: str) -> list[MailThere]:
        """The newest messages of a folder, newest first."""
        self._client.select_folder(folder, readonly=True)
        uids = sorted(self._client.search("ALL"))[-_SHOWN:]
        if not uids:
            return []
        header = "BODY.PEEK[HEADER.FIELDS (SUBJECT FROM)]"
        facts = self._client.fetch(uids, ["FLAGS", "INTERNALDATE", header])
        return [_mail(uid, facts[uid]) for uid in reversed(uids) if uid in facts]

    def do(self, folder: str, uid: int, act: DeviceAct, target: str = "") -> None:
        """Do something to a message, as any device may."""
        self._client.select_folder(folder)
        if act == "move":
            self._client.move([uid], target)
        elif act == "delete":
            self._client.delete_messages([uid])
            self._client.uid_expunge([uid])
        else:
            flag, on = _MARKS[act]
            (self._client.add_flags if on else self._client.remove_flags)([uid], [flag])


def _mail(uid: int, facts: dict[bytes, object]) -> MailThere:
    header = next(value for name, value in facts.items() if name.startswith(b"BODY["))
    read = message_from_bytes(header if isinstance(header, bytes) else b"", policy=modern)
    flags = facts[b"FLAGS"]
    names = [flag.decode("ascii", "replace") for flag in flags]  # type: ignore[attr-defined]
    received = facts[b"INTERNALDATE"]
    return MailThere(
        uid,
        str(read["Subject"] or ""),
        str(read["From"] or ""),
        received if isinstance(received, datetime) else datetime.now().astimezone(),
        "\\Seen" in names,
        "\\Flagged" in names,
        tuple(sorted(name for name in names if not name.startswith("\\"))),
    )


@contextmanager
def other_device(access: Access) -> Iterator[OtherDevice]:
    """Another device, logged in. Raises ServerError with a sentence."""
    with connected(access) as client:
        try:
            yield OtherDevice(client)
        except ServerError:
            raise
        except Exception as error:  # whatever the client makes of a refusal: it is told
            raise CommandRefusedError(f"the server refused: {words_of(error)}") from error
