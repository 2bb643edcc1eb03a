"""A copy of the database while it is in use, and a look at whether it is in order."""

import hashlib
import sqlite3
import zlib
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

from mnemic.store.engine.database import StoreError
from mnemic.store.engine.packing import unpacked, unpacked_text

__all__ = ["back_up", "check_database"]


def _differs(slot: str) -> str:
    """SQL that counts messages whose state is not what the journal's last entry says."""
    return (
        "SELECT count(*) FROM (SELECT entity_id, after, max(id) FROM journal"
        f" WHERE entity = 'message' AND slot = '{slot}' GROUP BY entity_id) AS j"
        f" JOIN message AS m ON m.id = j.entity_id WHERE m.{slot} IS NOT j.after"
    )


#: What is wrong where a query finds anything, in words. Each counts rows.
_RULES = {
    "messages without their octets": "SELECT count(*) FROM message AS m"
    " LEFT JOIN message_octets AS o ON o.message_id = m.id WHERE o.message_id IS NULL",
    "messages without their text": "SELECT count(*) FROM message AS m"
    " LEFT JOIN message_text AS t ON t.message_id = m.id WHERE t.message_id IS NULL",
    "messages whose text can’t be read": "SELECT count(*) FROM message_text WHERE NOT"
    " is_text(body, packed)",
    "messages that can’t be found by search": "SELECT count(*) FROM message AS m"
    " LEFT JOIN message_folded AS f ON f.message_id = m.id WHERE f.message_id IS NULL",
    "messages whose octets are not those that came": "SELECT count(*) FROM message AS m"
    " JOIN message_octets AS o ON o.message_id = m.id"
    " WHERE sha256(o.octets, o.packed) IS NOT m.digest",
    "messages in a folder that is not there": "SELECT count(*) FROM message AS m"
    " LEFT JOIN folder AS f ON f.id = m.folder_id WHERE f.id IS NULL",
    "messages in a folder of another mailbox": "SELECT count(*) FROM message AS m"
    " JOIN folder AS f ON f.id = m.folder_id WHERE f.mailbox_id <> m.mailbox_id"
    " AND f.role IS NOT 'erased'",
    "changes that belong to no run": "SELECT count(*) FROM journal AS j"
    " LEFT JOIN run AS r ON r.id = j.run_id WHERE r.id IS NULL",
    "batches of catch-ups that have ended": "SELECT count(*) FROM catch_up_batch AS b"
    " JOIN catch_up AS c ON c.id = b.catch_up_id WHERE c.state IN ('done', 'stopped')",
    "messages that are not where the journal says": _differs("folder_id"),
    "messages that are not read or unread as the journal says": _differs("seen"),
    "messages that are not flagged as the journal says": _differs("flagged"),
    "messages that are not coloured as the journal says": _differs("colour"),
    "messages without the priority that the journal says": _differs("priority"),
    "messages not labelled as the journal says": "SELECT count(*) FROM (SELECT j.entity_id,"
    " l.id AS label_id, j.after, max(j.id) FROM journal AS j JOIN label AS l"
    " ON l.id = coalesce(j.after, j.before) WHERE j.entity = 'message' AND j.slot = 'label'"
    " GROUP BY j.entity_id, l.id) AS j JOIN message AS m ON m.id = j.entity_id"
    " LEFT JOIN message_label AS b ON b.message_id = m.id AND b.label_id = j.label_id"
    " WHERE (j.after IS NULL) = (b.label_id IS NOT NULL)",
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


def _sha256(octets: bytes, packed: bytes | None) -> bytes | None:
    """Of the octets; None where they are damaged."""
    try:
        return hashlib.sha256(unpacked(octets, packed)).digest()
    except zlib.error:
        return None


def _is_text(text: str, packed: bytes | None) -> bool:
    try:
        unpacked_text(text, packed)
    except (zlib.error, UnicodeDecodeError):
        return False
    return True


def check_database(path: Path) -> Iterator[str]:
    """Everything that is wrong with a database, a line each; nothing is changed.

    Its pages and indexes (SQLite's own check), references between tables, messages, journal.
    """
    with closing(_open(path)) as connection:
        connection.create_function("sha256", 2, _sha256, deterministic=True)
        connection.create_function("is_text", 2, _is_text, deterministic=True)
        try:
            for (said,) in connection.execute("PRAGMA integrity_check"):
                if said != "ok":
                    yield f"the file is damaged: {said}"
            orphans = len(connection.execute("PRAGMA foreign_key_check").fetchall())
            if orphans:
                yield f"{orphans} rows refer to something that is not there"
            columns = [row[1] for row in connection.execute("PRAGMA table_info(message_octets)")]
            if columns and "packed" not in columns:
                yield "it was made by an older Mnemic; start this one once, and check again"
                return
            for wrong, query in _RULES.items():
                ((count,),) = connection.execute(query)
                if count:
                    yield f"{count} {wrong}"
        except sqlite3.DatabaseError as error:
            yield f"the file can’t be read: {error}"
