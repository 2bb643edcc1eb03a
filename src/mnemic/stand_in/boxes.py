"""The mail that a stand-in holds: accounts, their folders, messages by rising UID."""

import bisect
import itertools
import re
import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from typing import Literal

from mnemic.stand_in.numbers import ranges

__all__ = ["Account", "Box", "Change", "FolderRefusedError", "Mail"]

_validity = itertools.count(int(time.time()))

#: What every account has beside its INBOX, with its special use (RFC 6154).
_SPECIAL = {
    "Archive": "\\Archive",
    "Drafts": "\\Drafts",
    "Junk": "\\Junk",
    "Sent": "\\Sent",
    "Trash": "\\Trash",
}


class FolderRefusedError(Exception):
    """A folder that can't be made, renamed or deleted; the text is a response code and words."""


@dataclass(slots=True, eq=False)
class Mail:
    """One message in one folder; ``received`` is in seconds since 1970."""

    uid: int
    octets: bytes
    flags: set[str]
    received: float
    modseq: int


@dataclass(slots=True)
class Change:
    """What watchers of a folder are told, and who did it: mail came, has other flags, or went."""

    kind: Literal["new", "flags", "gone"]
    number: int
    mail: Mail
    by: object


@dataclass(eq=False)
class Box:
    """A folder: messages by rising UID, and the log of those that went (RFC 7162)."""

    name: str
    use: str = ""
    subscribed: bool = True
    validity: int = field(default_factory=lambda: next(_validity))
    uidnext: int = 1
    modseq: int = 1
    mails: list[Mail] = field(default_factory=list)
    gone: list[tuple[int, int]] = field(default_factory=list)  # (modseq, uid)
    watchers: list[Callable[[Change], None]] = field(default_factory=list)

    def number_of(self, mail: Mail) -> int:
        """A message's number among those that are here, from 1 on."""
        return bisect.bisect_left(self.mails, mail.uid, key=lambda other: other.uid) + 1

    def _tell(self, change: Change) -> None:
        for watcher in tuple(self.watchers):
            watcher(change)

    def add(
        self,
        octets: bytes,
        flags: Iterable[str] = (),
        received: float | None = None,
        by: object = None,
    ) -> Mail:
        """Take a message in under the next UID."""
        self.modseq += 1
        moment = time.time() if received is None else received
        mail = Mail(self.uidnext, octets, set(flags), moment, self.modseq)
        self.uidnext += 1
        self.mails.append(mail)
        self._tell(Change("new", len(self.mails), mail, by))
        return mail

    def set_flags(self, mail: Mail, flags: set[str], by: object = None) -> None:
        """Give a message other flags."""
        if flags == mail.flags:
            return
        self.modseq += 1
        mail.flags, mail.modseq = flags, self.modseq
        self._tell(Change("flags", self.number_of(mail), mail, by))

    def remove(self, mails: list[Mail], by: object = None) -> list[tuple[int, Mail]]:
        """Take messages out, each with its number at the moment of its going, as EXPUNGE says."""
        doomed, kept, went, number = set(map(id, mails)), [], [], 1
        self.modseq += 1
        for mail in self.mails:
            if id(mail) in doomed:
                went.append((number, mail))
                self.gone.append((self.modseq, mail.uid))
            else:
                kept.append(mail)
                number += 1
        self.mails = kept
        for at, mail in went:
            self._tell(Change("gone", at, mail, by))
        return went

    def pick(self, written: bytes, *, by_uid: bool) -> Iterator[tuple[int, Mail]]:
        """The messages of a set, in order, with their numbers. Raises ValueError: it is none."""
        mails = self.mails
        top = (mails[-1].uid if mails else 0) if by_uid else len(mails)
        for low, high in ranges(written, top):
            if by_uid:
                at = bisect.bisect_left(mails, low, key=lambda mail: mail.uid)
                while at < len(mails) and mails[at].uid <= high:
                    yield at + 1, mails[at]
                    at += 1
            else:
                for number in range(low, min(high, len(mails)) + 1):
                    yield number, mails[number - 1]


@dataclass(eq=False)
class Account:
    """One owner: the name and password (or token) to log in with, and the folders."""

    user: str
    password: str
    token: str = "token"  # noqa: S105 -- of a simulated account
    boxes: dict[str, Box] = field(default_factory=dict)
    #: Sieve scripts by their names, and the one that runs; who was answered, and until when.
    scripts: dict[str, bytes] = field(default_factory=dict)
    active: str = ""
    answered: dict[tuple[str, str], float] = field(default_factory=dict)
    #: Ids that ``duplicate`` has met, by their handles, and until when they count.
    met: dict[tuple[str, str], float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.boxes.setdefault("INBOX", Box("INBOX"))
        for name, use in _SPECIAL.items():
            self.boxes.setdefault(name, Box(name, use))

    def box(self, name: str) -> Box | None:
        """A folder by its name; INBOX in any case (RFC 9051, section 5.1)."""
        return self.boxes.get("INBOX" if name.upper() == "INBOX" else name)

    def create(self, name: str, use: str = "") -> Box:
        """Make a folder, with those above it. Raises FolderRefusedError where it is there."""
        name = name.rstrip("/")
        if self.box(name):
            raise FolderRefusedError("[ALREADYEXISTS] It exists already")
        levels = name.split("/")
        for depth in range(1, len(levels)):
            above = "/".join(levels[:depth])
            self.boxes.setdefault(above, Box(above))
        self.boxes[name] = Box(name, use)
        return self.boxes[name]

    def rename(self, old: str, new: str) -> None:
        """Rename a folder and those below it. Raises FolderRefusedError where that can't be."""
        if not self.box(old):
            raise FolderRefusedError("[NONEXISTENT] No such folder")
        if self.box(new):
            raise FolderRefusedError("[ALREADYEXISTS] It exists already")
        if old.upper() == "INBOX":  # RFC 9051, section 6.3.6: its mail moves, it stays
            target, inbox = self.create(new), self.boxes["INBOX"]
            for _, mail in inbox.remove(list(inbox.mails)):
                target.add(mail.octets, mail.flags, mail.received)
            return
        for name in [path for path in self.boxes if path == old or path.startswith(f"{old}/")]:
            box = self.boxes.pop(name)
            box.name = new + name[len(old) :]
            self.boxes[box.name] = box

    def delete(self, name: str) -> None:
        """Delete a folder with its mail. Raises FolderRefusedError for INBOX and what is not."""
        if name.upper() == "INBOX" or name not in self.boxes:
            raise FolderRefusedError("[NONEXISTENT] No such folder")
        del self.boxes[name]

    def listed(self, reference: str, pattern: str) -> list[Box]:
        """The folders that a pattern of LIST fits."""
        fits = "".join(
            ".*" if character == "*" else "[^/]*" if character == "%" else re.escape(character)
            for character in reference + pattern
        )
        return [
            box
            for name, box in sorted(self.boxes.items())
            if re.fullmatch(fits, name, re.IGNORECASE if name == "INBOX" else 0)
        ]
