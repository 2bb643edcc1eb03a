"""Commands about folders: opening, listing, making, renaming them."""

import re
from collections.abc import Callable
from typing import Any

from twisted.mail import imap4

from mnemic.stand_in.boxes import Box, FolderRefusedError
from mnemic.stand_in.connection import Connection
from mnemic.stand_in.moments import moment_of
from mnemic.stand_in.numbers import as_set

__all__ = ["FolderCommands"]

_RESYNC = re.compile(rb"(?i)QRESYNC \((\d+) (\d+)(?: ([\d:,*]+))?")
_USE = re.compile(rb"(?i)USE \((\\\w+)\)")


class FolderCommands(Connection):
    """What a client may do with folders."""

    mbox: Box | None
    writable: int

    def leave(self) -> None:
        """Close the folder that is open."""
        if self.mbox is not None and self.watch in self.mbox.watchers:
            self.mbox.watchers.remove(self.watch)
        self.mbox, self.later = None, []
        if self.state == "select":
            self.state = "auth"

    def connectionLost(self, reason: Any) -> None:
        """The client is gone."""
        self.leave()
        super().connectionLost(reason)

    def do_SELECT(self, tag: bytes, name: bytes, rest: bytes, writable: int) -> None:
        """Open a folder, to change it or only to look."""
        self.leave()
        box = self.named(tag, name)
        if box is None:
            return
        if b"CONDSTORE" in rest.upper() and self.has("CONDSTORE"):
            self.enabled.add(b"CONDSTORE")
        self._describe(box)
        box.watchers.append(self.watch)
        self.mbox, self.state, self.writable = box, "select", writable
        asked = _RESYNC.search(rest) if self.has("QRESYNC") else None
        if asked and int(asked[1]) == box.validity:
            self.tell_vanished(int(asked[2]))
            for number, mail in enumerate(box.mails, 1):
                if mail.modseq > int(asked[2]):
                    self.sendUntaggedResponse(self.flags_line(number, mail, with_uid=True))
        self.sendPositiveResponse(tag, b"[READ-WRITE] -" if writable else b"[READ-ONLY] -")

    auth_SELECT = select_SELECT = (do_SELECT, Connection.arg_astring, Connection.arg_rest, 1)
    auth_EXAMINE = select_EXAMINE = (do_SELECT, Connection.arg_astring, Connection.arg_rest, 0)

    def _describe(self, box: Box) -> None:
        keywords = {flag for mail in box.mails for flag in mail.flags if flag[0] != "\\"}
        flags = rb"\Answered \Flagged \Deleted \Seen \Draft"
        all_flags = b" ".join([flags, *(keyword.encode() for keyword in sorted(keywords))])
        kept = all_flags + rb" \*" if self.has("KEYWORDS") else flags
        self.sendUntaggedResponse(b"%d EXISTS" % len(box.mails))
        self.sendUntaggedResponse(b"0 RECENT")
        self.sendUntaggedResponse(b"FLAGS (" + all_flags + b")")
        codes = [
            b"PERMANENTFLAGS (" + kept + b")",
            b"UIDVALIDITY %d" % box.validity,
            b"UIDNEXT %d" % box.uidnext,
        ]
        if self.has("CONDSTORE"):
            codes.append(b"HIGHESTMODSEQ %d" % box.modseq)
        for code in codes:
            self.sendPositiveResponse(None, b"[" + code + b"] -")

    def tell_vanished(self, since: int) -> None:
        """Tell which messages went since then (RFC 7162, section 3.2.10)."""
        box = self.mbox
        uids = sorted({uid for modseq, uid in box.gone if modseq > since}) if box else []
        if uids:
            self.sendUntaggedResponse(b"VANISHED (EARLIER) " + as_set(uids))

    def do_UNSELECT(self, tag: bytes) -> None:
        """Close the folder and take nothing out of it (RFC 3691)."""
        self.leave()
        self.sendPositiveResponse(tag, b"done")

    select_UNSELECT = (do_UNSELECT,)

    def do_CLOSE(self, tag: bytes) -> None:
        """Close the folder; what is marked as deleted goes."""
        if self.writable and self.mbox is not None:
            self.mbox.remove([mail for mail in self.mbox.mails if "\\Deleted" in mail.flags], self)
        self.do_UNSELECT(tag)

    select_CLOSE = (do_CLOSE,)

    def do_LIST(self, tag: bytes, rest: bytes, command: bytes) -> None:
        """List folders, with their special uses (RFC 6154)."""
        only_special = rest.startswith(b"(") and b"SPECIAL-USE" in rest.split(b")")[0].upper()
        if rest.startswith(b"("):
            rest = rest.partition(b") ")[2]
        reference, rest = self.arg_astring(rest)
        pattern, _ = self.arg_astring(rest)
        names = (name.decode("imap4-utf-7") for name in (reference, pattern))
        for box in self.account.listed(*names):
            if (only_special and not box.use) or (command == b"LSUB" and not box.subscribed):
                continue
            inner = any(path.startswith(f"{box.name}/") for path in self.account.boxes)
            marks = ["\\HasChildren" if inner else "\\HasNoChildren"]
            if box.use and self.has("SPECIAL-USE"):
                marks.append(box.use)
            name = box.name.encode("imap4-utf-7").replace(b"\\", b"\\\\").replace(b'"', b'\\"')
            attributes = " ".join(marks).encode()
            self.sendUntaggedResponse(command + b" (" + attributes + b') "/" "' + name + b'"')
        self.sendPositiveResponse(tag, b"done")

    auth_LIST = select_LIST = (do_LIST, Connection.arg_rest, b"LIST")
    auth_LSUB = select_LSUB = (do_LIST, Connection.arg_rest, b"LSUB")

    def do_STATUS(self, tag: bytes, name: bytes, what: bytes) -> None:
        """Say how much a folder has."""
        box = self.named(tag, name)
        if box is None:
            return
        known = {
            b"MESSAGES": len(box.mails),
            b"RECENT": 0,
            b"UIDNEXT": box.uidnext,
            b"UIDVALIDITY": box.validity,
            b"UNSEEN": sum("\\Seen" not in mail.flags for mail in box.mails),
            b"HIGHESTMODSEQ": box.modseq,
        }
        asked = what.strip(b"()").upper().split()
        answer = b" ".join(b"%s %d" % (item, known[item]) for item in asked)
        quoted = name.replace(b"\\", b"\\\\").replace(b'"', b'\\"')
        self.sendUntaggedResponse(b'STATUS "' + quoted + b'" (' + answer + b")")
        self.sendPositiveResponse(tag, b"done")

    auth_STATUS = select_STATUS = (do_STATUS, Connection.arg_astring, Connection.arg_rest)

    def _try(self, tag: bytes, work: Callable[[], object]) -> None:
        try:
            work()
        except FolderRefusedError as refusal:
            self.sendNegativeResponse(tag, str(refusal).encode())
        else:
            self.sendPositiveResponse(tag, b"done")

    def do_CREATE(self, tag: bytes, name: bytes, rest: bytes) -> None:
        """Make a folder."""
        asked = _USE.search(rest) if self.has("CREATE-SPECIAL-USE") else None
        use = asked[1].decode() if asked else ""
        self._try(tag, lambda: self.account.create(name.decode("imap4-utf-7"), use))

    def do_DELETE(self, tag: bytes, name: bytes) -> None:
        """Delete a folder."""
        self._try(tag, lambda: self.account.delete(name.decode("imap4-utf-7")))

    def do_RENAME(self, tag: bytes, old: bytes, new: bytes) -> None:
        """Rename a folder."""
        names = [name.decode("imap4-utf-7") for name in (old, new)]
        self._try(tag, lambda: self.account.rename(*names))

    def do_SUBSCRIBE(self, tag: bytes, name: bytes, on: bool) -> None:
        """Note whether a folder is subscribed to."""
        box = self.named(tag, name)
        if box is not None:
            box.subscribed = on
            self.sendPositiveResponse(tag, b"done")

    auth_CREATE = select_CREATE = (do_CREATE, Connection.arg_astring, Connection.arg_rest)
    auth_DELETE = select_DELETE = (do_DELETE, Connection.arg_astring)
    auth_RENAME = select_RENAME = (do_RENAME, Connection.arg_astring, Connection.arg_astring)
    auth_SUBSCRIBE = select_SUBSCRIBE = (do_SUBSCRIBE, Connection.arg_astring, True)
    auth_UNSUBSCRIBE = select_UNSUBSCRIBE = (do_SUBSCRIBE, Connection.arg_astring, False)

    def do_APPEND(
        self, tag: bytes, name: bytes, flags: list[bytes] | None, date: bytes | None, octets: Any
    ) -> None:
        """Put a message into a folder."""
        box = self.named(tag, name)
        if box is None:
            return
        marks = [flag.decode() for flag in flags or ()]
        mail = box.add(octets.read(), marks, moment_of(date))
        self.flush()
        code = b"[APPENDUID %d %d] " % (box.validity, mail.uid) if self.has("UIDPLUS") else b""
        self.sendPositiveResponse(tag, code + b"done")

    auth_APPEND = select_APPEND = (
        do_APPEND,
        Connection.arg_astring,
        imap4.IMAP4Server.opt_plist,
        imap4.IMAP4Server.opt_datetime,
        Connection.arg_literal,
    )
