"""A copy of the database while it is in use, and a look at whether it is in order."""

import hashlib
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

from mnemic.store.database import StoreError

__all__ = ["back_up", "check_database"]

#: What is wrong where a query finds anything, in words. Each counts rows.
_RULES = {
    "messages without their octets": "SELECT count(*) FROM message AS m"
    " LEFT JOIN message_octets AS o ON o.message_id = m.id WHERE o.message_id IS NULL",
    "messages without their text": "SELECT count(*) FROM message AS m"
    " LEFT JOIN message_text AS t ON t.message_id = m.id WHERE t.message_id IS NULL",
    "messages that can’t be found by search": "SELECT count(*) FROM message AS m"
    " LEFT JOIN message_folded AS f ON f.message_id = m.id WHERE f.message_id IS NULL",
    "messages whose octets are not those that came": "SELECT count(*) FROM message AS m"
    " JOIN message_octets AS o ON o.message_id = m.id WHERE sha256(o.octets) <> m.digest",
    "messages in a folder that is not there": "SELECT count(*) FROM message AS m"
    " LEFT JOIN folder AS f ON f.id = m.folder_id WHERE f.id IS NULL",
    "changes that belong to no run": "SELECT count(*) FROM journal AS j"
    " LEFT JOIN run AS r ON r.id = j.run_id WHERE r.id IS NULL",
    # The last entry for a slot says how the message is now.
    "messages that are not where the journal says": "SELECT count(*) FROM (SELECT entity_id,"
    " after, max(id) FROM journal WHERE entity = 'message' AND slot = 'folder_id'"
    " GROUP BY entity_id) AS j JOIN message AS m ON m.id = j.entity_id"
    " WHERE m.folder_id <> CAST(j.after AS INTEGER)",
}


def _open(path: Path) -> sqlite3.Connection:
    if not path.is_file():
        raise StoreError(f"{path}: there is no mailbox here; set MNEMIC_DATA")
    return sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True)


def back_up(source: Path, target: Path) -> None:
    """Copy a database to a file, whole and of one moment, while others go on using it.

    SQLite's online backup. Raises StoreError where there is no database, or the file is there.
    """
    if target.exists():
        raise StoreError(f"{target} is there already; name another file, or move it away")
    unfinished = target.with_name(f"{target.name}.part")
    try:
        with closing(_open(source)) as here, closing(sqlite3.connect(unfinished)) as there:
            here.backup(there)
        unfinished.rename(target)
    except (OSError, sqlite3.Error) as error:
        unfinished.unlink(missing_ok=True)
        raise StoreError(f"{target}: {error}; nothing was written") from error


def _sha256(octets: bytes) -> bytes:
    return hashlib.sha256(octets).digest()


def check_database(path: Path) -> Iterator[str]:
    """Everything that is wrong with a database, a line each; nothing is changed.

    Its pages and indexes (SQLite's own check), references between tables, messages, journal.
    """
    with closing(_open(path)) as connection:
        connection.create_function("sha256", 1, _sha256, deterministic=True)
        try:
            for (said,) in connection.execute("PRAGMA integrity_check"):
                if said != "ok":
                    yield f"the file is damaged: {said}"
            orphans = len(connection.execute("PRAGMA foreign_key_check").fetchall())
            if orphans:
                yield f"{orphans} rows refer to something that is not there"
            for wrong, query in _RULES.items():
                ((count,),) = connection.execute(query)
                if count:
                    yield f"{count} {wrong}"
        except sqlite3.DatabaseError as error:
            yield f"the file can’t be read: {error}"
