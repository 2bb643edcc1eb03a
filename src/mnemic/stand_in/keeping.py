"""The stand-in's mail on disk: one SQLite file, written when something has changed."""

import json
import sqlite3
from collections.abc import Sequence
from contextlib import closing
from pathlib import Path
from typing import NamedTuple

from mnemic.stand_in.boxes import Account, Box, Mail

__all__ = ["Changes", "Keeping"]

_TABLES = """
CREATE TABLE IF NOT EXISTS box (
    user TEXT, name TEXT, use TEXT, subscribed INTEGER, validity INTEGER, uidnext INTEGER,
    modseq INTEGER, gone TEXT, PRIMARY KEY (user, name)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS mail (
    user TEXT, validity INTEGER, uid INTEGER, octets BLOB, flags TEXT, received REAL,
    modseq INTEGER, PRIMARY KEY (user, validity, uid));
CREATE TABLE IF NOT EXISTS script (
    user TEXT, name TEXT, octets BLOB, active INTEGER, PRIMARY KEY (user, name)) WITHOUT ROWID;
"""


#: User, UIDVALIDITY and UID of a message.
_Key = tuple[str, int, int]


class Changes(NamedTuple):
    """Rows to be written; of messages those that are new or changed, and which are gone.

    ``kept`` is, once they are written, the modseq of each message.
    """

    mails: Sequence[tuple[object, ...]]
    gone: list[_Key]
    boxes: Sequence[tuple[object, ...]]
    scripts: Sequence[tuple[object, ...]]
    kept: dict[_Key, int]


class Keeping:
    """Reads the mail of accounts from a folder, and writes there what has changed since."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._path = folder / "stand-in.sqlite3"
        self._kept: dict[_Key, int] = {}  # the modseq of each message
        with closing(self._open()) as connection:
            connection.executescript(_TABLES)

    def _open(self) -> sqlite3.Connection:
        return sqlite3.connect(self._path)

    def read(self, account: Account) -> None:
        """Give an account the folders and messages that were kept of it."""
        with closing(self._open()) as connection:
            boxes = connection.execute(
                "SELECT name, use, subscribed, validity, uidnext, modseq, gone FROM box"
                " WHERE user = ?",
                (account.user,),
            ).fetchall()
            for name, use, subscribed, validity, uidnext, modseq, gone in boxes:
                box = Box(name, use, bool(subscribed), validity, uidnext, modseq)
                box.gone = [(at, uid) for at, uid in json.loads(gone)]
                box.mails = self._mails(connection, account.user, validity)
                account.boxes[name] = box
            scripts = connection.execute(
                "SELECT name, octets, active FROM script WHERE user = ?", (account.user,)
            )
            for name, octets, active in scripts:
                account.scripts[name] = octets
                account.active = name if active else account.active

    def _mails(self, connection: sqlite3.Connection, user: str, validity: int) -> list[Mail]:
        rows = connection.execute(
            "SELECT uid, octets, flags, received, modseq FROM mail"
            " WHERE user = ? AND validity = ? ORDER BY uid",
            (user, validity),
        )
        mails = [
            Mail(uid, octets, set(json.loads(flags)), received, modseq)
            for uid, octets, flags, received, modseq in rows
        ]
        self._kept |= {(user, validity, mail.uid): mail.modseq for mail in mails}
        return mails

    def changes(self, accounts: dict[str, Account]) -> Changes:
        """What is new or has changed since it was written, and what is gone."""
        now = {
            (account.user, box.validity, mail.uid): mail
            for account in accounts.values()
            for box in account.boxes.values()
            for mail in box.mails
        }
        mails = [
            (*key, mail.octets, json.dumps(sorted(mail.flags)), mail.received, mail.modseq)
            for key, mail in now.items()
            if self._kept.get(key) != mail.modseq
        ]
        boxes = [
            (
                *(account.user, box.name, box.use, box.subscribed, box.validity, box.uidnext),
                *(box.modseq, json.dumps(box.gone)),
            )
            for account in accounts.values()
            for box in account.boxes.values()
        ]
        scripts = [
            (account.user, name, octets, name == account.active)
            for account in accounts.values()
            for name, octets in account.scripts.items()
        ]
        kept = {key: mail.modseq for key, mail in now.items()}
        return Changes(mails, list(self._kept.keys() - kept.keys()), boxes, scripts, kept)

    def write(self, changes: Changes) -> None:
        """Keep what is new or has changed, and forget what is gone; in whatever thread."""
        with closing(self._open()) as connection, connection:
            connection.executemany(
                "INSERT OR REPLACE INTO mail VALUES (?, ?, ?, ?, ?, ?, ?)", changes.mails
            )
            connection.executemany(
                "DELETE FROM mail WHERE user = ? AND validity = ? AND uid = ?", changes.gone
            )
            connection.execute("DELETE FROM box")
            connection.executemany("INSERT INTO box VALUES (?, ?, ?, ?, ?, ?, ?, ?)", changes.boxes)
            connection.execute("DELETE FROM script")
            connection.executemany("INSERT INTO script VALUES (?, ?, ?, ?)", changes.scripts)
        self._kept = changes.kept
