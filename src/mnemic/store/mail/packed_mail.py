"""Mail that an older Mnemic took in, brought to the form in which octets and texts lie now."""

from collections.abc import Callable
from typing import Any

from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.packing import pack, pack_text

__all__ = ["left_to_pack", "pack_some"]

#: Tables, the column of each that is packed, how, and what is left there.
_TABLES: tuple[tuple[str, str, Callable[[Any], bytes], object], ...] = (
    ("message_octets", "octets", pack, b""),
    ("message_text", "body", pack_text, ""),
)


def left_to_pack(session: Session) -> int:
    """How many messages have octets or a text that are not packed."""
    counts = " UNION ALL ".join(
        f"SELECT count(*) AS left FROM {table} WHERE packed IS NULL" for table, *_ in _TABLES
    )
    ((left,),) = driver(session).execute(f"SELECT max(left) FROM ({counts})")
    return int(left)


def pack_some(session: Session, most: int) -> int:
    """Pack the octets and texts of so many messages at most; returns of how many."""
    done = 0
    for table, column, packing, nothing in _TABLES:
        rows = driver(session).execute(
            f"SELECT {column}, message_id FROM {table} WHERE packed IS NULL LIMIT ?", (most,)
        )
        packed = [(packing(value), nothing, message_id) for value, message_id in rows]
        driver(session).executemany(
            f"UPDATE {table} SET packed = ?, {column} = ? WHERE message_id = ?", packed
        ).close()
        done = max(done, len(packed))
    return done
