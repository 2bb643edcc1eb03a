"""The folded forms of a message that searches look at.

The forms are those that the core's conditions compare, made by the conditions themselves: what a
search finds with ``instr`` is what a rule with the same words takes.
"""

import sqlite3
from typing import Any

from mnemic.core import ParsedMessage
from mnemic.core.fields.addresses import AddressCondition
from mnemic.core.fields.attachments import AttachmentCondition
from mnemic.core.fields.mailing_list import ListCondition
from mnemic.core.fields.text_condition import TextTestCondition
from mnemic.core.fields.texts import TextCondition

__all__ = [
    "FOLDED_COLUMNS",
    "folded_values",
    "keep_folded",
    "replace_folded",
]


def _people(field: Any) -> AddressCondition:
    return AddressCondition(field=field, part="any", test="contains", values=("x",))


#: A condition for each column that looks at just what the column holds.
FOLDED_COLUMNS: dict[str, TextTestCondition] = {
    "subject": TextCondition(field="subject", test="contains", values=("x",)),
    "senders": _people("from"),
    "recipients": _people("recipient"),
    "lists": ListCondition(field="list", test="contains", values=("x",)),
    "attachments": AttachmentCondition(field="attachment", test="contains", values=("x",)),
    "body": TextCondition(field="body", test="contains", values=("x",)),
}

_COLUMNS = ", ".join(FOLDED_COLUMNS)
_INSERT = (
    f"INSERT INTO message_folded (message_id, {_COLUMNS})"
    f" VALUES (:message_id, {', '.join(f':{column}' for column in FOLDED_COLUMNS)})"
)

_REPLACE = (
    f"UPDATE message_folded SET {', '.join(f'{column} = :{column}' for column in FOLDED_COLUMNS)}"
    " WHERE message_id = :message_id"
)


def folded_values(message: ParsedMessage) -> dict[str, str]:
    """The folded forms of a message, by column."""
    values = {}
    for column, condition in FOLDED_COLUMNS.items():
        joined = "\n".join(condition.comparables(message, condition.channels[0]))
        values[column] = joined
    return values


def keep_folded(connection: sqlite3.Connection, message_id: int, values: dict[str, str]) -> None:
    """Keep the folded forms of a message, the newest; the index follows."""
    connection.execute(_INSERT, {"message_id": message_id} | values).close()


def replace_folded(connection: sqlite3.Connection, message_id: int, values: dict[str, str]) -> None:
    """Write the folded forms of a message anew; it must not be indexed meanwhile."""
    connection.execute(_REPLACE, {"message_id": message_id} | values).close()
