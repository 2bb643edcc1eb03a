"""Which UIDs of a server's folder are known here, asked as needed: a folder may have very many."""

import hashlib
from collections.abc import Iterator, Mapping
from itertools import chain

from sqlmodel import Session

from mnemic.core.mirror import Spot
from mnemic.store.engine.database import Database
from mnemic.store.engine.driver import driver
from mnemic.store.engine.sql import fetch
from mnemic.store.server.server_messages import known_flags, left_on_server

__all__ = ["KnownSpots", "known_spots"]

#: Questions after which all of a folder's UIDs are read at once.
_QUESTIONS = 200


#: Ordered by an index; a row for each would cost ten times as much.
_KNOWN = (
    "SELECT group_concat(uid || ' ' || seen || flagged || deleted || keywords, ' ') FROM"
    " (SELECT uid, seen, flagged, deleted, keywords FROM server_message"
    " WHERE server_folder_id = :folder ORDER BY uid)"
)


class KnownSpots(Mapping[int, Spot]):
    """The spots of one folder that are known, by UID: how many there are is known at once."""

    def __init__(self, database: Database, folder: int, count: int, left: frozenset[int]) -> None:
        self._database, self._folder, self._count, self._left = database, folder, count, left
        self._all: frozenset[int] | None = None
        self._asked = 0

    def __len__(self) -> int:
        return self._count

    def __contains__(self, uid: object) -> bool:
        self._asked += 1
        if self._all is None and self._asked <= _QUESTIONS:
            return uid in self._left or self._lies(uid)
        return uid in self._read()

    def __getitem__(self, uid: int) -> Spot:
        if uid not in self:
            raise KeyError(uid)
        return Spot(self._folder, uid)

    def __iter__(self) -> Iterator[int]:
        return iter(self._read())

    def of_none(self) -> "KnownSpots":
        """The same folder, of which nothing is known."""
        return KnownSpots(self._database, 0, 0, frozenset())

    def digest(self) -> bytes:
        """What tells all that is known of the folder from anything else."""
        with self._database.reading() as session:
            ((known,),) = fetch(session, _KNOWN, folder=self._folder)
        return hashlib.sha256(f"{known} {sorted(self._left)}".encode()).digest()

    def flags(self) -> Iterator[tuple[int, tuple[bool, bool, bool, frozenset[str]]]]:
        """By UID whether what lies there is read, flagged, deleted, and its keywords."""
        with self._database.reading() as session:
            yield from known_flags(session, self._folder)

    def _lies(self, uid: object) -> bool:
        asked = "SELECT 1 FROM server_message WHERE server_folder_id = :folder AND uid = :uid"
        with self._database.reading() as session:
            return bool(fetch(session, asked, folder=self._folder, uid=uid))

    def _read(self) -> frozenset[int]:
        if self._all is None:
            asked = "SELECT uid FROM server_message WHERE server_folder_id = ?"
            with self._database.reading() as session:
                rows = driver(session).execute(asked, (self._folder,))
                self._all = frozenset(chain(self._left, (uid for (uid,) in rows)))
        return self._all


def known_spots(
    database: Database, session: Session, mailbox_id: int, folders: list[int]
) -> dict[int, KnownSpots]:
    """The known spots of folders of a server, those that were left behind among them."""
    counts = dict(
        fetch(
            session,
            "SELECT f.id, (SELECT count(*) FROM server_message AS s"
            " WHERE s.server_folder_id = f.id AND s.uid IS NOT NULL)"
            " FROM server_folder AS f WHERE f.mailbox_id = :mailbox",
            mailbox=mailbox_id,
        )
    )
    left: dict[int, set[int]] = {}
    for folder, uid in left_on_server(session, mailbox_id):
        left.setdefault(folder, set()).add(uid)
    return {
        folder: KnownSpots(
            database,
            folder,
            counts.get(folder, 0) + len(left.get(folder, ())),
            frozenset(left.get(folder, ())),
        )
        for folder in folders
    }
