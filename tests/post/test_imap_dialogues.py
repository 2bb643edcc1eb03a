"""The example dialogues of the standards, as commands that we give and answers that we read.

RFC 9051 (and 3501), 4315, 6154, 2342, 6851 and 7162; all of them from memory.
"""

import re
import socket
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import pytest
from imapclient import IMAPClient

from mnemic.post.imap import FolderState, ListedFolder, ServerMailbox

#: RFC 9051, section 8, but for what it can.
GREETING = b"* OK [CAPABILITY IMAP4rev1 %s] IMAP4rev2 Service Ready\r\n"


def _play(
    listening: socket.socket, can: bytes, answers: list[tuple[str, bytes]], heard: list[str]
) -> None:
    """The server's part of a dialogue; what it hears is noted."""
    connection, _ = listening.accept()
    with connection, connection.makefile("rb") as lines:
        connection.sendall(GREETING % can)
        for line in lines:
            tag, _, command = line.decode().strip().partition(" ")
            if command == "CAPABILITY":
                capabilities = b"* CAPABILITY IMAP4rev1 %s\r\n%s OK done\r\n"
                connection.sendall(capabilities % (can, tag.encode()))
                continue
            if command == "LOGOUT":
                connection.sendall(b"* BYE\r\n" + tag.encode() + b" OK done\r\n")
                return
            heard.append(command)
            expected, answer = answers[len(heard) - 1]
            fits = re.fullmatch(expected, command) is not None
            final = answer if fits else b"TAG BAD not what the standard has"
            connection.sendall(final.replace(b"\n", b"\r\n").replace(b"TAG", tag.encode()))
            connection.sendall(b"\r\n")


@contextmanager
def playing(can: bytes, answers: list[tuple[str, bytes]]) -> Iterator[ServerMailbox]:
    """A server that plays its part: each command has to fit, and gets its answer."""
    listening = socket.create_server(("127.0.0.1", 0))
    heard: list[str] = []

    thread = threading.Thread(target=_play, args=(listening, can, answers, heard))
    thread.start()
    client = IMAPClient("127.0.0.1", listening.getsockname()[1], ssl=False, timeout=60)
    client.normalise_times = False
    client._imap.state = "AUTH"  # the examples begin where somebody is logged in
    try:
        mailbox = ServerMailbox(client)
        client._imap.state = "SELECTED"
        yield mailbox
        assert len(heard) == len(answers)
    finally:
        client.logout()
        thread.join(timeout=60)
        listening.close()


SELECTED = b"""* 172 EXISTS
* 1 RECENT
* OK [UNSEEN 12] Message 12 is first unseen
* OK [UIDVALIDITY 3857529045] UIDs valid
* OK [UIDNEXT 4392] Predicted next UID
* FLAGS (\\Answered \\Flagged \\Deleted \\Seen \\Draft)
* OK [PERMANENTFLAGS (\\Deleted \\Seen \\*)] Limited
TAG OK [READ-WRITE] SELECT completed"""

LISTED = b"""* LIST (\\Marked \\HasNoChildren) "/" Inbox
* LIST (\\HasNoChildren) "/" ToDo
* LIST (\\HasChildren) "/" Projects
* LIST (\\Sent \\HasNoChildren) "/" SentMail
* LIST (\\Marked \\Drafts \\HasNoChildren) "/" MyDrafts
* LIST (\\Trash \\HasNoChildren) "/" Trash
TAG OK done"""

FETCHED = b"""* 12 FETCH (FLAGS (\\Seen) INTERNALDATE "17-Jul-1996 02:44:25 -0700" \
RFC822.SIZE 4286 UID 12 BODY[HEADER.FIELDS (MESSAGE-ID)] {55}
Message-ID: <B27397-0100000@cac.washington.example>

)
TAG OK FETCH completed"""

CHANGED = b"""* VANISHED (EARLIER) 300:310,405,411
* 1 FETCH (UID 404 MODSEQ (65402) FLAGS (\\Seen))
* 2 FETCH (UID 406 MODSEQ (75403) FLAGS (\\Deleted))
* 4 FETCH (UID 408 MODSEQ (29738) FLAGS ($NoJunk $AutoJunk $MDNSent))
TAG OK FETCH completed"""

MOVED = b"""* OK [COPYUID 432432 42:69 1202:1229]
* 22 EXPUNGE
* 22 EXPUNGE
TAG OK Done"""

ENABLED = ("ENABLE QRESYNC", b"* ENABLED QRESYNC\nTAG OK enabled")

Case = tuple[bytes, list[tuple[str, bytes]], Callable[[ServerMailbox], Any], Any]
DIALOGUES: dict[str, Case] = {
    "RFC 9051, 6.3.2: SELECT": (
        b"",
        [('SELECT "?INBOX"?', SELECTED)],
        lambda box: box.open("INBOX", only_look=False),
        FolderState(3857529045, 4392, 172, None, keeps_keywords=True),
    ),
    "RFC 9051, 6.3.3: EXAMINE": (
        b"",
        [('EXAMINE "?blurdybloop"?', SELECTED.replace(b"READ-WRITE", b"READ-ONLY"))],
        lambda box: box.open("blurdybloop", only_look=True).messages,
        172,
    ),
    "RFC 7162, 3.1.2: HIGHESTMODSEQ": (
        b"CONDSTORE",
        [
            (
                'EXAMINE "?INBOX"?( \\(CONDSTORE\\))?',
                SELECTED.replace(b"TAG", b"* OK [HIGHESTMODSEQ 715194045007]\nTAG"),
            )
        ],
        lambda box: box.open("INBOX", only_look=True).modseq,
        715194045007,
    ),
    "RFC 6154, 5.2: LIST": (
        b"SPECIAL-USE",
        [('LIST "" "?\\*"?', LISTED)],
        lambda box: [folder for folder in box.folders() if "\\sent" in folder.attributes],
        [ListedFolder("SentMail", "/", frozenset({"\\sent", "\\hasnochildren"}))],
    ),
    "RFC 2342, 5: NAMESPACE": (
        b"NAMESPACE",
        [("NAMESPACE", b'* NAMESPACE (("INBOX." "."  ))  NIL  NIL\nTAG OK done')],
        lambda box: box.prefix(),
        "INBOX.",
    ),
    "RFC 9051, 6.4.8: SEARCH": (
        b"",
        [("UID SEARCH ALL", b"* SEARCH 2 84 882\nTAG OK SEARCH completed")],
        lambda box: box.uids(),
        [2, 84, 882],
    ),
    "RFC 9051, 8: FETCH": (
        b"",
        [("UID FETCH 12 \\(UID FLAGS RFC822.SIZE INTERNALDATE BODY.PEEK\\[.*", FETCHED)],
        lambda box: [
            (
                glimpse.uid,
                glimpse.flags,
                glimpse.size,
                glimpse.received.isoformat(),
                glimpse.header[:20],
            )
            for glimpse in box.glimpses([12])
        ],
        [(12, frozenset({"\\seen"}), 4286, "1996-07-17T02:44:25-07:00", b"Message-ID: <B27397-")],
    ),
    "RFC 7162, 3.2.6: what changed and vanished": (
        b"ENABLE CONDSTORE QRESYNC",
        [ENABLED, ("UID FETCH 1:\\* \\(UID FLAGS\\) \\(CHANGEDSINCE 12345 VANISHED\\)", CHANGED)],
        lambda box: box.changed_flags(since=12345),
        (
            {
                404: frozenset({"\\seen"}),
                406: frozenset({"\\deleted"}),
                408: frozenset({"$NoJunk", "$AutoJunk", "$MDNSent"}),
            },
            [*range(300, 311), 405, 411],
        ),
    ),
    "RFC 6851, 4.3: UID MOVE": (
        b"MOVE UIDPLUS",
        [('UID MOVE 42:69 "?foo"?', MOVED)],
        lambda box: box.move(range(42, 70), "foo"),
        dict(zip(range(42, 70), range(1202, 1230), strict=True)),
    ),
    "RFC 4315, 3: COPYUID": (
        b"UIDPLUS",
        [
            (
                'UID COPY 304,319:320 "?MEETING"?',
                b"TAG OK [COPYUID 38505 304,319:320 3956:3958] Done",
            )
        ],
        lambda box: box.copy([304, 319, 320], "MEETING"),
        {304: 3956, 319: 3957, 320: 3958},
    ),
    "RFC 4315, 2.1: UID EXPUNGE": (
        b"UIDPLUS",
        [
            (
                "UID EXPUNGE (3000:3002|3000,3001,3002)",
                b"* 3 EXPUNGE\n* 3 EXPUNGE\n* 3 EXPUNGE\nTAG OK done",
            )
        ],
        lambda box: box.expunge([3000, 3001, 3002]),
        None,
    ),
    "RFC 9051, 6.4.6: STORE": (
        b"",
        [("UID STORE 2:4 \\+FLAGS(.SILENT)? \\(.Deleted\\)", b"TAG OK STORE completed")],
        lambda box: box.mark([2, 3, 4], ["\\Deleted"], on=True),
        None,
    ),
}


@pytest.mark.parametrize("name", DIALOGUES)
def test_a_dialogue_of_the_standard(name: str) -> None:
    can, answers, ask, result = DIALOGUES[name]
    with playing(can, answers) as mailbox:
        assert ask(mailbox) == result
