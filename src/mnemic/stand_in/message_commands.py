"""Commands about messages: fetching, marking, moving, searching them."""

import re
from collections.abc import Callable, Iterable, Iterator
from typing import Any

from twisted.internet import interfaces
from twisted.mail import imap4
from zope.interface import implementer

from mnemic.stand_in.boxes import Box, Mail
from mnemic.stand_in.connection import Connection, flag_list
from mnemic.stand_in.folder_commands import FolderCommands
from mnemic.stand_in.moments import written
from mnemic.stand_in.numbers import as_set
from mnemic.stand_in.parts import header_of, parsed
from mnemic.stand_in.search import Search

__all__ = ["Server"]

_FIELDS = re.compile(rb"(?im)^([!-9;-~]+)[ \t]*:.*(?:\r?\n[ \t].*)*\r?\n?")
_FLAG = re.compile(rb'\\?[^\x00-\x20(){%*"\\\]\x7f-\xff]+')
_MODSEQ = re.compile(rb"(?i)\bMODSEQ\b ?")
_CHANGED_SINCE = re.compile(rb"(?i) \((?:CHANGEDSINCE (\d+))( VANISHED)?\)$")
_STORE = re.compile(
    rb"(?i)(\S+) (?:\(UNCHANGEDSINCE (\d+)\) )?([+-]?)FLAGS(\.SILENT)? \(?([^)]*)\)?"
)

#: Octets that are written at a time.
_CHUNK = 262_144


def _collapsed(value: Any) -> bytes:
    return bytes(imap4.collapseNestedLists([value]))


def _literal(octets: bytes) -> bytes:
    return b"{%d}\r\n" % len(octets) + octets


@implementer(interfaces.IPullProducer)
class _Answers:
    """Writes answers as fast as the client reads them, a chunk at a time."""

    def __init__(self, server: Any, pieces: Iterator[bytes], done: Callable[[], None]) -> None:
        self._server, self._pieces, self._done = server, pieces, done
        server.blocked = server.blocked or []
        server.transport.registerProducer(self, False)

    def resumeProducing(self) -> None:
        """Write the next chunk."""
        chunk, size = [], 0
        for piece in self._pieces:
            chunk.append(piece)
            size += len(piece)
            if size > _CHUNK:
                self._server.transport.write(b"".join(chunk))
                return
        self._server.transport.write(b"".join(chunk))
        self._server.transport.unregisterProducer()
        self._done()
        self._server._unblock()

    def stopProducing(self) -> None:
        """The client is gone."""
        self._pieces = iter(())


class Server(FolderCommands):
    """One connection of a client, with all that it may ask."""

    @property
    def box(self) -> Box:
        """The folder that is open."""
        if self.mbox is None:
            raise imap4.IllegalClientResponse("No folder is open")
        return self.mbox

    def do_UID(self, tag: bytes, command: bytes, line: bytes) -> None:
        """A command that names messages by their UIDs."""
        known = [b"COPY", b"FETCH", b"STORE", b"SEARCH"]
        known += [b"MOVE"] if self.has("MOVE") else []
        known += [b"EXPUNGE"] if self.has("UIDPLUS") else []
        if command.upper() not in known:
            raise imap4.IllegalClientResponse(command.decode("ascii", "replace"))
        self.dispatchCommand(tag, command.upper(), line, uid=1)

    select_UID = (do_UID, imap4.IMAP4Server.arg_atom, Connection.arg_rest)

    # --- FETCH

    def do_FETCH(self, tag: bytes, rest: bytes, uid: int = 0) -> None:
        """Messages, or parts and facts of them."""
        spec, _, asked = rest.partition(b" ")
        since = _CHANGED_SINCE.search(asked) if self.has("CONDSTORE") else None
        if since:
            asked = asked[: since.start()]
        with_modseq = bool(_MODSEQ.search(asked)) or since is not None
        if with_modseq:
            self.enabled.add(b"CONDSTORE")
            asked = re.sub(rb" \)", b")", _MODSEQ.sub(b"", asked))
        parser = imap4._FetchParser()
        if asked not in (b"()", b""):
            parser.parseString(asked)
        if since and since[2]:
            self.tell_vanished(int(since[1]))
        box, least = self.box, int(since[1]) if since else -1

        def pieces() -> Iterator[bytes]:
            for number, mail in box.pick(spec, by_uid=bool(uid)):
                if mail.modseq > least:
                    yield self._answer(number, mail, parser.result, uid, with_modseq)

        def done() -> None:
            if uid:
                self.flush()
            self.sendPositiveResponse(tag, b"FETCH done")

        _Answers(self, pieces(), done)

    select_FETCH = (do_FETCH, Connection.arg_rest)

    def _answer(
        self, number: int, mail: Mail, asked: Iterable[Any], uid: int, with_modseq: bool
    ) -> bytes:
        answers, wants_uid = [], bool(uid)
        for part in asked:
            if part.type == "uid":
                wants_uid = True
            elif part.type == "body":
                answers.append(self._section(part, mail))
                self._mark_as_seen(part, mail, answers)
            else:
                answers.append(_fact(part.type, mail))
        if wants_uid:
            answers.insert(0, b"UID %d" % mail.uid)
        if with_modseq:
            answers.append(b"MODSEQ (%d)" % mail.modseq)
        return b"* %d FETCH (" % number + b" ".join(answers) + b")\r\n"

    def _mark_as_seen(self, part: Any, mail: Mail, answers: list[bytes]) -> None:
        reads = not part.peek and (part.empty or part.text)
        if reads and self.writable and "\\Seen" not in mail.flags:
            self.box.set_flags(mail, mail.flags | {"\\Seen"}, self)
            answers.append(b"FLAGS " + flag_list(mail.flags))

    def _section(self, part: Any, mail: Mail) -> bytes:
        message = parsed(mail.octets)
        if not (part.header or part.text or part.mime or part.empty):
            return b"BODY " + _collapsed(imap4.getBodyStructure(message))
        for number in part.part or ():
            message = message.getSubPart(number) if message.isMultipart() else message
        if part.header or part.mime:
            octets = _chosen_fields(part, header_of(message.whole()))
        elif part.text or part.part:
            octets = message.body()
        else:
            octets = mail.octets
        name = bytes(part).split(b"<")[0]
        if part.partialBegin is not None:
            octets = octets[part.partialBegin : part.partialBegin + part.partialLength]
            name += b"<%d>" % part.partialBegin
        return name + b" " + _literal(octets)

    # --- changing messages

    def do_STORE(self, tag: bytes, rest: bytes, uid: int = 0) -> None:
        """Give messages flags, or take flags off."""
        asked = _STORE.fullmatch(rest)
        if not asked:
            raise imap4.IllegalClientResponse("STORE")
        if not all(_FLAG.fullmatch(flag) for flag in asked[5].split()):
            self.sendBadResponse(tag, b"A keyword is an atom")
            return
        if asked[2]:
            self.enabled.add(b"CONDSTORE")
        flags = {flag.decode() for flag in asked[5].split()}
        if not self.has("KEYWORDS"):
            flags = {flag for flag in flags if flag.startswith("\\")}
        missed: list[int] = []
        for number, mail in list(self.box.pick(asked[1], by_uid=bool(uid))):
            if asked[2] and mail.modseq > int(asked[2]):
                missed.append(mail.uid if uid else number)
                continue
            self._mark(mail, asked[3], flags)
            if not asked[4]:
                line = self.flags_line(number, mail, with_uid=bool(uid))
                self.sendUntaggedResponse(line)
            elif self.enabled:
                changed = b"%d FETCH (UID %d MODSEQ (%d))" % (number, mail.uid, mail.modseq)
                self.sendUntaggedResponse(changed)
        self.flush()
        code = b"[MODIFIED " + as_set(missed) + b"] " if missed else b""
        self.sendPositiveResponse(tag, code + b"STORE done")

    select_STORE = (do_STORE, Connection.arg_rest)

    def _mark(self, mail: Mail, how: bytes, flags: set[str]) -> None:
        """Keywords are the same in any case: one that is there already is not doubled."""
        there = {flag.lower() for flag in mail.flags}
        asked = {flag.lower() for flag in flags}
        if how == b"+":
            new = mail.flags | {flag for flag in flags if flag.lower() not in there}
        elif how == b"-":
            new = {flag for flag in mail.flags if flag.lower() not in asked}
        else:
            new = flags
        self.box.set_flags(mail, new, self)

    def _tell_gone(self, gone: list[tuple[int, Mail]]) -> None:
        if gone and b"QRESYNC" in self.enabled:
            self.sendUntaggedResponse(b"VANISHED " + as_set(mail.uid for _, mail in gone))
        elif gone:
            self.transport.write(b"".join(b"* %d EXPUNGE\r\n" % number for number, _ in gone))

    def do_COPY(self, tag: bytes, spec: bytes, name: bytes, moves: bool, uid: int = 0) -> None:
        """Copy messages into another folder, or move them there (RFC 6851)."""
        target, source = self.named(tag, name), self.box
        if target is None:
            return
        mails = [mail for _, mail in source.pick(spec, by_uid=bool(uid))]
        by = None if target is source else self
        new = [target.add(message.octets, message.flags, message.received, by) for message in mails]
        code = b""
        if new and self.has("UIDPLUS"):
            uids = as_set(message.uid for message in mails), as_set(message.uid for message in new)
            code = b"[COPYUID %d %s %s] " % (target.validity, *uids)
        if not moves:
            self.sendPositiveResponse(tag, code + b"COPY done")
            return
        if code:  # RFC 6851, section 4.3: in an untagged OK, before the messages go
            self.sendPositiveResponse(None, code + b"moved")
        self.flush()
        self._tell_gone(source.remove(mails, self))
        self.sendPositiveResponse(tag, b"MOVE done")

    select_COPY = (do_COPY, imap4.IMAP4Server.arg_atom, Connection.arg_astring, False)
    select_MOVE = (do_COPY, imap4.IMAP4Server.arg_atom, Connection.arg_astring, True)

    def do_EXPUNGE(self, tag: bytes, rest: bytes, uid: int = 0) -> None:
        """Take out what is marked as deleted; by UID those alone (RFC 4315)."""
        doomed = [mail for mail in self.box.mails if "\\Deleted" in mail.flags]
        if uid:
            only = {id(mail) for _, mail in self.box.pick(rest, by_uid=True)}
            doomed = [mail for mail in doomed if id(mail) in only]
        self.flush()
        self._tell_gone(self.box.remove(doomed, self))
        self.sendPositiveResponse(tag, b"EXPUNGE done")

    select_EXPUNGE = (do_EXPUNGE, Connection.arg_rest)

    def do_SEARCH(self, tag: bytes, _charset: Any, query: bytes, uid: int = 0) -> None:
        """Find messages."""
        try:
            finds = Search(self.box, imap4.parseNestedParens(query)).finds
        except (ValueError, IndexError) as problem:
            self.sendBadResponse(tag, str(problem).encode())
            return
        numbers = [
            mail.uid if uid else number
            for number, mail in enumerate(self.box.mails, 1)
            if finds(number, mail)
        ]
        self.sendUntaggedResponse(b" ".join([b"SEARCH", *(b"%d" % key for key in numbers)]))
        if uid:
            self.flush()
        self.sendPositiveResponse(tag, b"SEARCH done")

    select_SEARCH = (do_SEARCH, imap4.IMAP4Server.opt_charset, Connection.arg_rest)


def _chosen_fields(part: Any, header: bytes) -> bytes:
    """The fields of a header that are asked for, or all of it."""
    names = {field.upper() for field in part.header.fields or ()} if part.header else set()
    if not names:
        return header
    kept = [
        match[0]
        for match in _FIELDS.finditer(header)
        if (match[1].upper() in names) is not bool(part.header.negate)
    ]
    return b"".join(kept) + b"\r\n"


def _fact(kind: str, mail: Mail) -> bytes:
    """What is asked of a message but for a piece of it."""
    match kind:
        case "flags":
            return b"FLAGS " + flag_list(mail.flags)
        case "internaldate":
            return b"INTERNALDATE " + written(mail.received)
        case "rfc822size":
            return b"RFC822.SIZE %d" % len(mail.octets)
        case "rfc822":
            return b"RFC822 " + _literal(mail.octets)
        case "rfc822header":
            return b"RFC822.HEADER " + _literal(header_of(mail.octets))
        case "rfc822text":
            return b"RFC822.TEXT " + _literal(mail.octets[len(header_of(mail.octets)) :])
        case "envelope":
            return b"ENVELOPE " + _collapsed(imap4.getEnvelope(parsed(mail.octets)))
        case "bodystructure":
            structure = imap4.getBodyStructure(parsed(mail.octets), True)
            return b"BODYSTRUCTURE " + _collapsed(structure)
        case _:
            raise imap4.IllegalClientResponse(kind)
