"""The trigram index over folded forms; it may lag behind by some messages.

To index each message as it comes would write the index's pages for each of them. They are indexed
some dozens at a time; of those that are not yet, every one is looked at.
"""

import sqlite3

from mnemic.store.mail.folded import FOLDED_COLUMNS

__all__ = [
    "INDEXED",
    "MOST_PENDING",
    "forget_index",
    "index_pending",
    "indexed_up_to",
    "keep_indexed",
    "may_hold",
    "unindex",
]

#: Messages that may wait to be indexed: to look at as many costs less than a look into the index.
_PENDING = 64

#: Where more wait, the index is being made anew, and nobody else writes to it.
MOST_PENDING = 10_000

#: What is indexed of a message, in SQL over ``message_folded``.
INDEXED = " || char(10) || ".join(FOLDED_COLUMNS)
_UP_TO = "(SELECT up_to FROM trigram_index)"

_INDEX = (
    f"INSERT INTO message_trigram (rowid, folded) SELECT message_id, {INDEXED}"
    f" FROM message_folded WHERE message_id > {_UP_TO} AND message_id <= ?"
)
_COME_SO_FAR = "UPDATE trigram_index SET up_to = max(up_to, ?)"
_FORGET = (
    "INSERT INTO message_trigram (message_trigram) VALUES ('delete-all')",
    "UPDATE trigram_index SET up_to = 0",
)
_UNINDEX = (
    "INSERT INTO message_trigram (message_trigram, rowid, folded)"
    f" SELECT 'delete', message_id, {INDEXED} FROM message_folded"
    f" WHERE message_id = ? AND message_id <= {_UP_TO}"
)


def may_hold(query: str) -> str:
    """SQL for the ``rowid`` of the messages between ``:low`` and ``:high`` that pass a query.

    ``query`` is the name of the parameter with a query of the index. The messages that are not
    indexed yet are among them, whether they pass or not.
    """
    return (
        f"(SELECT rowid FROM message_trigram WHERE message_trigram MATCH {query}"
        " AND rowid > :low AND rowid <= :high UNION ALL SELECT message_id FROM message_folded"
        f" WHERE message_id > max(:low, {_UP_TO}) AND message_id <= :high)"
    )


def indexed_up_to(connection: sqlite3.Connection) -> int:
    """The largest id that is indexed; those above it wait."""
    ((up_to,),) = connection.execute("SELECT up_to FROM trigram_index").fetchall()
    return int(up_to)


def keep_indexed(connection: sqlite3.Connection, message_id: int) -> None:
    """Index what waits, where with this message, the newest, it is enough to be worth it."""
    if _PENDING <= message_id - indexed_up_to(connection) <= MOST_PENDING:
        index_pending(connection, message_id)


def index_pending(connection: sqlite3.Connection, up_to: int) -> None:
    """Index all that waits, up to an id."""
    for statement in (_INDEX, _COME_SO_FAR):
        connection.execute(statement, (up_to,)).close()


def forget_index(connection: sqlite3.Connection) -> None:
    """Let all messages wait to be indexed."""
    for statement in _FORGET:
        connection.execute(statement).close()


def unindex(connection: sqlite3.Connection, message_id: int) -> None:
    """Take a message that is about to be destroyed out of the index."""
    connection.execute(_UNINDEX, (message_id,)).close()
