"""Accounts, contacts, states of messages, search, journal, and what went outside."""

import sqlite3
from typing import Any

import sqlalchemy as sa
from alembic import op

from mnemic.core import Envelope, parse_message
from mnemic.store.mail.folded import folded_values, keep_folded

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

_ROLES = {
    "Sent": "sent",
    "Archive": "archive",
    "Junk": "junk",
    "Trash": "trash",
    "/erased": "erased",
}
_MESSAGE_KEY = "message.id"


def _text(name: str, *, default: str | None = None, nullable: bool = False) -> sa.Column[Any]:
    return sa.Column(name, sa.String(), nullable=nullable, server_default=default)


def _number(name: str, *, default: str | None = None, nullable: bool = False) -> sa.Column[Any]:
    return sa.Column(name, sa.Integer(), nullable=nullable, server_default=default)


def _key(
    name: str, target: str, *, nullable: bool = False, ondelete: str | None = None
) -> sa.Column[Any]:
    return sa.Column(
        name, sa.Integer(), sa.ForeignKey(target, ondelete=ondelete), nullable=nullable
    )


def _id() -> sa.Column[Any]:
    return sa.Column("id", sa.Integer(), primary_key=True, nullable=False)


def upgrade() -> None:
    """Bring the tables to this version, and fill them for the mail that is here."""
    _owner()
    _states()
    _search()
    _history()
    _fill()


def _owner() -> None:
    op.create_table(
        "account",
        _id(),
        _text("name"),
        _text("address"),
        _text("canonical"),
        sa.UniqueConstraint("canonical"),
    )
    op.create_table(
        "alias", _id(), _key("account_id", "account.id", ondelete="CASCADE"), _text("address"), _text("canonical"),
        sa.UniqueConstraint("canonical"),
    )  # fmt: skip
    op.create_index("ix_alias_account_id", "alias", ["account_id"])
    op.create_table("contact", _id(), _text("name"), _text("card"))
    op.create_table(
        "contact_address",
        _id(),
        _key("contact_id", "contact.id", ondelete="CASCADE"),
        _text("address"),
        _text("canonical"),
    )
    op.create_index("ix_contact_address_contact_id", "contact_address", ["contact_id"])
    op.create_index("ix_contact_address_canonical", "contact_address", ["canonical"])
    op.create_table(
        "preference",
        sa.Column("name", sa.String(), primary_key=True, nullable=False),
        _text("value"),
    )
    op.create_table(
        "posted", _id(), _number("at"), _text("kind"), _text("rule_name"),
        _key("message_id", _MESSAGE_KEY, nullable=True, ondelete="SET NULL"), _text("sender"), _text("recipient"),
        _text("recipient_canonical"), _text("subject"), sa.Column("octets", sa.LargeBinary(), nullable=False),
    )  # fmt: skip
    op.create_index("ix_posted_at", "posted", ["at"])
    op.create_index("ix_posted_recipient_canonical", "posted", ["recipient_canonical"])


def _states() -> None:
    op.add_column("folder", _number("look_in_days", nullable=True))
    op.add_column("folder", _number("looked_at", nullable=True))
    for column in (
        _text("kind", default="personal"),
        _text("kind_reason", default=""),
        _text("list_id", nullable=True),
        _text("importance", default="normal"),
        _number("placed_at", default="0"),
        sa.Column("flagged", sa.Boolean(), nullable=False, server_default=sa.false()),
        _text("colour", nullable=True),
        _text("priority", nullable=True),
        _number("account_id", nullable=True),
    ):
        op.add_column("message", column)
    op.add_column("trail", _text("actions", default="[]"))


def _search() -> None:
    op.create_table(
        "message_folded",
        sa.Column("message_id", sa.Integer(), sa.ForeignKey(_MESSAGE_KEY, ondelete="CASCADE"), primary_key=True, nullable=False),
        *map(_text, ("subject", "senders", "recipients", "lists", "attachments", "body")),
    )  # fmt: skip
    # The texts are folded already, so case is exact. Without positions the index is a sixth of
    # the size; what it finds is verified against the folded texts.
    op.execute(
        "CREATE VIRTUAL TABLE message_trigram USING fts5"
        "(folded, content='', detail=none, columnsize=0, tokenize='trigram case_sensitive 1')"
    )
    # Postings gathered in memory before they are written, in octets.
    op.execute("INSERT INTO message_trigram (message_trigram, rank) VALUES ('hashsize', 67108864)")


def _history() -> None:
    op.create_table(
        "run", _id(), _number("at"), _text("actor"), _text("saying"), _number("messages"),
        _key("rule_id", "rule.id", nullable=True, ondelete="SET NULL"),
        sa.Column("lasting", sa.Boolean(), nullable=False),
        _key("undoes", "run.id", nullable=True), _key("undone_by", "run.id", nullable=True),
    )  # fmt: skip
    op.create_index("ix_run_at", "run", ["at"])
    op.create_table(
        "journal", _id(), _key("run_id", "run.id", ondelete="CASCADE"), _text("entity"), _number("entity_id"),
        _text("slot"), _text("before", nullable=True), _text("after", nullable=True),
    )  # fmt: skip
    op.create_index("journal_of_run", "journal", ["run_id"])
    op.create_index(
        "journal_of_message",
        "journal",
        ["entity_id", "slot"],
        sqlite_where=sa.text("entity = 'message'"),
    )


def _fill() -> None:
    connection = op.get_bind()
    for name, role in _ROLES.items():
        taken = connection.execute(
            sa.text(
                "UPDATE folder SET role = :role WHERE parent_id IS NULL AND lower(name) = :name"
            ),
            {"role": role, "name": name.lower()},
        ).rowcount
        if not taken:
            connection.execute(
                sa.text("INSERT INTO folder (name, role) VALUES (:name, :role)"),
                {"role": role, "name": name},
            )
    connection.execute(sa.text("UPDATE message SET placed_at = received_at"))
    for (message_id,) in connection.execute(sa.text("SELECT id FROM message")).all():
        _fill_message(connection, message_id)


def _fill_message(connection: sa.Connection, message_id: int) -> None:
    key = {"id": message_id}
    octets, return_path = connection.execute(
        sa.text("SELECT octets, return_path FROM message_octets WHERE message_id = :id"), key
    ).one()
    rows = connection.execute(
        sa.text(
            "SELECT header, local, domain FROM message_address WHERE message_id = :id ORDER BY id"
        ),
        key,
    ).all()
    recipients = tuple(
        f"{local}@{domain}" for header, local, domain in rows if header == "envelope"
    )
    message = parse_message(octets, Envelope(return_path, recipients))
    read = {
        "kind": message.kind.name,
        "kind_reason": message.kind.reason,
        "list_id": message.list_id if message.list_id else None,
        "importance": message.priority,
    }
    assigned = ", ".join(f"{column} = :{column}" for column in read)
    connection.execute(sa.text(f"UPDATE message SET {assigned} WHERE id = :id"), key | read)
    driver = connection.connection.driver_connection
    assert isinstance(driver, sqlite3.Connection)  # noqa: S101 -- for the type checker
    values = folded_values(message)
    keep_folded(driver, message_id, values)
    indexed = "INSERT INTO message_trigram (rowid, folded) VALUES (?, ?)"
    driver.execute(indexed, (message_id, "\n".join(values.values()))).close()
