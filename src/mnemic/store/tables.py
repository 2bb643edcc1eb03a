"""The tables. Times are whole seconds since 1970-01-01 UTC; text is UTF-8.

A message's row is narrow, since lists and changes read and write many of them: its octets and its
text stand in tables of their own.
"""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Index, text
from sqlmodel import Field, Session, SQLModel

__all__ = [
    "FolderRow",
    "LabelRow",
    "MessageAddressRow",
    "MessageLabelRow",
    "MessageOctetsRow",
    "MessageRow",
    "MessageTextRow",
    "RuleRow",
    "TrailRow",
    "insert_rows",
]


class FolderRow(SQLModel, table=True):
    """A folder; ``role`` is one of RFC 6154's, or "inbox"."""

    __tablename__ = "folder"
    __table_args__ = (
        Index("folder_path", text("coalesce(parent_id, 0)"), "name", unique=True),
        Index("folder_role", "role", unique=True),
    )

    id: int | None = Field(default=None, primary_key=True)
    parent_id: int | None = Field(default=None, foreign_key="folder.id")
    name: str
    role: str | None = None


class LabelRow(SQLModel, table=True):
    """A label with one of Mnemic's colour names."""

    __tablename__ = "label"

    id: int | None = Field(default=None, primary_key=True)
    name: str = Field(unique=True)
    colour: str


class MessageRow(SQLModel, table=True):
    """What lists show of a message, and its state."""

    __tablename__ = "message"
    __table_args__ = (
        Index("message_in_folder", "folder_id", "received_at", "id"),
        Index("message_unseen", "folder_id", sqlite_where=text("seen = 0")),
    )

    id: int | None = Field(default=None, primary_key=True)
    digest: bytes = Field(index=True)  # SHA-256 of the octets
    message_id: str | None = None  # the Message-ID field
    subject: str | None = None
    sender_name: str = ""
    sender_address: str = ""
    preview: str = ""
    received_at: int = Field(index=True)
    size: int  # octets as transmitted
    attachments: int = 0
    folder_id: int = Field(foreign_key="folder.id")
    seen: bool = False


class MessageOctetsRow(SQLModel, table=True):
    """The message as it came, byte for byte, and what the transport said of it."""

    __tablename__ = "message_octets"

    message_id: int = Field(primary_key=True, foreign_key="message.id", ondelete="CASCADE")
    octets: bytes
    return_path: str | None = None


class MessageTextRow(SQLModel, table=True):
    """The text that a reader sees, decoded once when the message is taken in."""

    __tablename__ = "message_text"

    message_id: int = Field(primary_key=True, foreign_key="message.id", ondelete="CASCADE")
    body: str


class MessageAddressRow(SQLModel, table=True):
    """An address of a message; ``header`` is the field's name in rules, or "envelope"."""

    __tablename__ = "message_address"

    id: int | None = Field(default=None, primary_key=True)
    message_id: int = Field(index=True, foreign_key="message.id", ondelete="CASCADE")
    header: str
    name: str
    local: str
    domain: str


class MessageLabelRow(SQLModel, table=True):
    """A label on a message."""

    __tablename__ = "message_label"

    message_id: int = Field(primary_key=True, foreign_key="message.id", ondelete="CASCADE")
    label_id: int = Field(primary_key=True, foreign_key="label.id", index=True, ondelete="CASCADE")


class RuleRow(SQLModel, table=True):
    """A rule: its place in the line, and itself as JSON of the rule document."""

    __tablename__ = "rule"

    id: int | None = Field(default=None, primary_key=True)
    position: int = Field(index=True)
    document: str


class TrailRow(SQLModel, table=True):
    """What one rule did to one message, when, and on what evidence."""

    __tablename__ = "trail"
    __table_args__ = (Index("trail_of_rule", "rule_id", "at"),)

    id: int | None = Field(default=None, primary_key=True)
    message_id: int = Field(index=True, foreign_key="message.id", ondelete="CASCADE")
    rule_id: int | None = Field(default=None, foreign_key="rule.id", ondelete="SET NULL")
    rule_name: str  # as it was then: the trail outlives the rule
    event: str
    at: int
    folder: str | None = None  # the path it was filed under by this rule
    labels: str = "[]"  # JSON: names of the labels put on by this rule
    evidence: str = "[]"  # JSON: [{"field", "value", "start", "end"}]


def insert_rows(
    session: Session, model: type[SQLModel], rows: Sequence[Mapping[str, Any]]
) -> list[int]:
    """Insert rows without making objects of them, which costs a tenth; their keys, in order.

    Columns that a row leaves out get the table's default, as their models do.
    """
    table = SQLModel.metadata.tables[str(model.__tablename__)]
    connection, statement = session.connection(), table.insert()
    inserted = (connection.execute(statement, row).inserted_primary_key for row in rows)
    return [key[0] for key in inserted if key is not None]
