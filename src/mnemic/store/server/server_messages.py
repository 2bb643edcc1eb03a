"""Where messages are on their server, and what it was last known to have of them."""

import json
import re
from collections.abc import Iterable, Iterator, Sequence
from typing import Any, NamedTuple

from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.sql import execute, fetch
from mnemic.store.mail.messages import octets_of_messages

__all__ = [
    "Mirrored",
    "OnServer",
    "begin_on_server",
    "begun_on_server",
    "born_as_copies",
    "forget_begun",
    "forget_begun_that_lie",
    "forget_left",
    "header_only",
    "keep_left",
    "known_flags",
    "left_on_server",
    "lies_elsewhere",
    "lying_in",
    "mirrored_at",
    "mirrored_by_ids",
    "mirrored_called",
    "mirrored_differing",
    "mirrored_nowhere",
    "mirrored_with_keywords",
    "note_on_server",
    "nowhere_on_server",
    "placed_by_rule",
    "twin_on_server",
]


#: The empty line that a header ends with (RFC 5322, section 2.1).
_END_OF_HEADER = re.compile(rb"\r?\n\r?\n")


class Mirrored(NamedTuple):
    """A message here and on its server.

    ``folder_id``, ``seen``, ``flagged`` are as it is here; what follows is what the server was last
    known to have. Without ``server_folder_id`` it lies nowhere there.
    """

    message_id: int
    digest: bytes
    called: str | None  # its Message-ID
    received_at: int
    placed_at: int
    folder_id: int
    seen: bool
    flagged: bool
    size: int
    server_folder_id: int | None
    uid: int | None
    was_seen: bool
    was_flagged: bool
    was_deleted: bool
    keywords: frozenset[str]

    @property
    def lies_there(self) -> bool:
        """Whether it lies somewhere on the server."""
        return self.server_folder_id is not None


_MIRRORED = (
    "SELECT m.id, m.digest, m.message_id, m.received_at, m.placed_at, m.folder_id, m.seen,"
    " m.flagged, coalesce(nullif(s.size, 0), m.size), s.server_folder_id, s.uid,"
    " coalesce(s.seen, 0), coalesce(s.flagged, 0), coalesce(s.deleted, 0),"
    " coalesce(s.keywords, '[]')"
    " FROM message AS m LEFT JOIN server_message AS s ON s.message_id = m.id"
)


def _mirrored(session: Session, condition: str, **parameters: Any) -> list[Mirrored]:
    messages = []
    for row in fetch(session, f"{_MIRRORED} {condition}", **parameters):
        facts, keywords = row[:-1], row[-1]
        known = frozenset(json.loads(keywords)) if keywords != "[]" else frozenset()
        messages.append(Mirrored._make((*facts, known)))
    return messages


def mirrored_by_ids(session: Session, ids: Iterable[int]) -> list[Mirrored]:
    """Some messages, by their ids."""
    condition = "WHERE m.id IN (SELECT value FROM json_each(:ids))"
    return _mirrored(session, condition, ids=json.dumps(list(ids)))


def mirrored_at(session: Session, spots: Iterable[tuple[int, int]]) -> list[Mirrored]:
    """The messages that lie at spots of a server: a folder and a UID each."""
    asked = (
        "SELECT s.message_id FROM json_each(:spots) AS p JOIN server_message AS s"
        " ON s.server_folder_id = json_extract(p.value, '$[0]')"
        " AND s.uid = json_extract(p.value, '$[1]')"
    )
    listed = json.dumps([list(spot) for spot in spots])
    return mirrored_by_ids(session, [key for (key,) in fetch(session, asked, spots=listed)])


def lying_in(session: Session, server_folder_id: int, folder_id: int | None = None) -> list[int]:
    """The messages that lie in a folder of the server, maybe those alone that are in one here."""
    rows = fetch(
        session,
        "SELECT m.id FROM server_message AS s JOIN message AS m ON m.id = s.message_id"
        " WHERE s.server_folder_id = :row AND (:folder IS NULL OR m.folder_id = :folder)",
        row=server_folder_id,
        folder=folder_id,
    )
    return [key for (key,) in rows]


def header_only(session: Session, ids: Iterable[int]) -> dict[int, int]:
    """Those of the messages of which only the header is here, and their size on the server."""
    larger = dict(
        fetch(
            session,
            "SELECT m.id, s.size FROM message AS m JOIN server_message AS s ON s.message_id = m.id"
            " WHERE s.size > m.size AND m.id IN (SELECT value FROM json_each(:ids))",
            ids=json.dumps(list(ids)),
        )
    )
    # Some servers tell a larger size than they give: those messages have a body here.
    octets = octets_of_messages(session, list(larger))
    return {key: larger[key] for key, message in octets if not _body_of(message)}


def _body_of(octets: bytes) -> bytes:
    _, *body = _END_OF_HEADER.split(octets, maxsplit=1)
    return body[0] if body else b""


def lies_elsewhere(session: Session, message_id: int) -> bool:
    """Whether a message lies in another folder on its server than here, or nowhere."""
    asked = (
        "SELECT 1 FROM message AS m LEFT JOIN server_message AS s ON s.message_id = m.id"
        " LEFT JOIN server_folder AS f ON f.id = s.server_folder_id"
        " WHERE m.id = :id AND f.folder_id IS NOT m.folder_id"
    )
    return bool(fetch(session, asked, id=message_id))


def known_flags(
    session: Session, server_folder_id: int
) -> Iterator[tuple[int, tuple[bool, bool, bool, frozenset[str]]]]:
    """By UID whether what lies in a folder is read, flagged, deleted, and its keywords."""
    rows = driver(session).execute(
        "SELECT uid, seen, flagged, deleted, keywords FROM server_message"
        " WHERE server_folder_id = ?",
        (server_folder_id,),
    )
    for uid, seen, flagged, deleted, keywords in rows:
        known = frozenset(json.loads(keywords)) if keywords != "[]" else frozenset()
        yield uid, (bool(seen), bool(flagged), bool(deleted), known)


def mirrored_called(session: Session, mailbox_id: int, called: Iterable[str]) -> list[Mirrored]:
    """The messages of a mailbox with these Message-IDs."""
    return _mirrored(
        session,
        "WHERE m.mailbox_id = :mailbox AND m.message_id IN (SELECT value FROM json_each(:called))",
        mailbox=mailbox_id,
        called=json.dumps(list(called)),
    )


def mirrored_nowhere(session: Session, mailbox_id: int) -> list[Mirrored]:
    """The messages of a mailbox that lie nowhere on its server, or were told to go elsewhere."""
    return _mirrored(
        session,
        "WHERE m.mailbox_id = :mailbox AND (s.server_folder_id IS NULL"
        " OR m.id IN (SELECT message_id FROM server_begun))",
        mailbox=mailbox_id,
    )


def mirrored_with_keywords(session: Session, mailbox_id: int) -> list[Mirrored]:
    """The messages of a mailbox that bear keywords on its server."""
    return _mirrored(
        session, "WHERE m.mailbox_id = :mailbox AND s.keywords <> '[]'", mailbox=mailbox_id
    )


def mirrored_differing(session: Session, mailbox_id: int) -> list[Mirrored]:
    """The messages of a mailbox that may differ from what its server was last known to have.

    All of those that do, and those that bear labels or keywords: these are compared elsewhere.
    """
    return _mirrored(
        session,
        "LEFT JOIN server_folder AS f ON f.id = s.server_folder_id"
        " WHERE m.mailbox_id = :mailbox AND (f.folder_id IS NOT m.folder_id"
        " OR s.seen <> m.seen OR s.flagged <> m.flagged OR s.deleted OR s.keywords <> '[]'"
        " OR EXISTS (SELECT 1 FROM message_label AS l WHERE l.message_id = m.id))",
        mailbox=mailbox_id,
    )


def placed_by_rule(session: Session, message_id: int) -> bool:
    """Whether it was a rule that put a message where it is here."""
    rows = fetch(
        session,
        "SELECT rule_id IS NOT NULL FROM journal WHERE entity = 'message' AND entity_id = :id"
        " AND slot = 'folder_id' ORDER BY id DESC LIMIT 1",
        id=message_id,
    )
    return bool(rows and rows[0][0])


class OnServer(NamedTuple):
    """Where a message is on the server now, and what it has there."""

    message_id: int
    server_folder_id: int | None
    uid: int | None
    seen: bool
    flagged: bool
    deleted: bool
    keywords: frozenset[str]
    size: int


def note_on_server(session: Session, messages: Iterable[OnServer]) -> None:
    """Note where messages are on the server now, and what they have there."""
    driver(session).executemany(
        "INSERT OR REPLACE INTO server_message (message_id, server_folder_id, uid, seen, flagged,"
        " deleted, keywords, size) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        (
            (
                *message[:6],
                json.dumps(sorted(message.keywords)) if message.keywords else "[]",
                message.size,
            )
            for message in messages
        ),
    ).close()


def nowhere_on_server(session: Session, message_ids: Sequence[int]) -> None:
    """Note that messages lie nowhere on the server, as far as is known."""
    execute(
        session,
        "UPDATE server_message SET server_folder_id = NULL, uid = NULL"
        " WHERE message_id IN (SELECT value FROM json_each(:ids))",
        ids=json.dumps(list(message_ids)),
    )


def begin_on_server(session: Session, message_ids: Iterable[int], server_folder_id: int) -> None:
    """Note that messages are about to be told to go to a folder of the server."""
    driver(session).executemany(
        "INSERT OR REPLACE INTO server_begun VALUES (?, ?)",
        [(message_id, server_folder_id) for message_id in message_ids],
    ).close()


def begun_on_server(session: Session, mailbox_id: int) -> dict[int, int]:
    """The server's folder that each message was told to go to; it may not be there yet."""
    return dict(
        fetch(
            session,
            "SELECT b.message_id, b.server_folder_id FROM server_begun AS b"
            " JOIN message AS m ON m.id = b.message_id WHERE m.mailbox_id = :mailbox",
            mailbox=mailbox_id,
        )
    )


def keep_left(
    session: Session, server_folder_id: int, uids: Iterable[int], *, marked: bool
) -> None:
    """Note what was left behind by a copy, and whether it is marked as deleted."""
    for uid in uids:
        execute(
            session,
            "INSERT OR REPLACE INTO server_left VALUES (:folder, :uid, :marked)",
            folder=server_folder_id,
            uid=uid,
            marked=marked,
        )


def forget_left(session: Session, spot: tuple[int, int]) -> None:
    """Nothing of ours is left at a spot any more."""
    execute(
        session,
        "DELETE FROM server_left WHERE server_folder_id = :folder AND uid = :uid",
        folder=spot[0],
        uid=spot[1],
    )


def forget_begun(session: Session, message_ids: Iterable[int]) -> None:
    """Messages are where they were told to go, or will not be."""
    driver(session).executemany(
        "DELETE FROM server_begun WHERE message_id = ?",
        [(message_id,) for message_id in message_ids],
    ).close()


def forget_begun_that_lie(session: Session, mailbox_id: int) -> None:
    """Whoever lies where it lay, and was looked for where it was told to go, did not go there."""
    execute(
        session,
        "DELETE FROM server_begun WHERE message_id IN (SELECT m.id FROM message AS m"
        " JOIN server_message AS s ON s.message_id = m.id"
        " WHERE m.mailbox_id = :mailbox AND s.uid IS NOT NULL)",
        mailbox=mailbox_id,
    )


def left_on_server(session: Session, mailbox_id: int) -> dict[tuple[int, int], bool]:
    """What was left behind: a folder of the server and a UID, and whether it is marked."""
    rows = fetch(
        session,
        "SELECT l.server_folder_id, l.uid, l.marked FROM server_left AS l JOIN server_folder AS f"
        " ON f.id = l.server_folder_id WHERE f.mailbox_id = :mailbox",
        mailbox=mailbox_id,
    )
    return {(folder, uid): bool(marked) for folder, uid, marked in rows}


def twin_on_server(session: Session, message_id: int) -> tuple[int, int] | None:
    """Where another message with the same octets lies on the same server: a folder and a UID."""
    rows = fetch(
        session,
        "SELECT s.server_folder_id, s.uid FROM message AS m JOIN message AS t"
        " ON t.digest = m.digest AND t.mailbox_id = m.mailbox_id AND t.id <> m.id"
        " JOIN server_message AS s ON s.message_id = t.id"
        " WHERE m.id = :message AND s.uid IS NOT NULL AND NOT s.deleted LIMIT 1",
        message=message_id,
    )
    return tuple(rows[0]) if rows else None


def born_as_copies(session: Session, mailbox_id: int, erased_id: int) -> set[int]:
    """The erased messages of a mailbox that came to be as copies: nobody misses them."""
    return {
        key
        for (key,) in fetch(
            session,
            "SELECT m.id FROM message AS m WHERE m.mailbox_id = :mailbox AND m.folder_id = :erased"
            " AND (SELECT j.before FROM journal AS j WHERE j.entity = 'message'"
            " AND j.entity_id = m.id AND j.slot = 'folder_id' ORDER BY j.id LIMIT 1) = :born",
            mailbox=mailbox_id,
            erased=erased_id,
            born=str(erased_id),
        )
    }
