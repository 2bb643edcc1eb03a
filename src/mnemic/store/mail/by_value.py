"""The messages by a column of which few values are in use."""

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.mail.attachment_types import types_unknown

__all__ = [
    "ids_by",
    "messages_by_attachment_types",
    "messages_by_list",
]

#: The ids of messages, by what they have in common.
_ByValue = dict[str, NDArray[np.int64]]


def ids_by(
    session: Session, column: str, where: str = "1"
) -> Iterator[tuple[Any, NDArray[np.int64]]]:
    """The ids of messages by the value of a column, of those for which SQL is true."""
    # A row for each value: to fetch one for each message would hold up every other thread.
    rows = driver(session).execute(
        f"SELECT {column}, group_concat(id) FROM message WHERE {where} GROUP BY {column}"
    )
    return ((value, np.fromstring(listed, np.int64, sep=",")) for value, listed in rows)


def messages_by_list(session: Session) -> _ByValue:
    """The messages that came through each list, by its identifier as its mail has it."""
    return dict(ids_by(session, "list_id", "list_id IS NOT NULL"))


def messages_by_attachment_types(session: Session) -> _ByValue | None:
    """The messages that have the same types of attachments, by those types, one a line.

    None where there are messages whose octets alone tell what is attached to them.
    """
    if types_unknown(session):
        return None
    return dict(ids_by(session, "attachment_types", "attachments > 0"))
