"""Addresses kept once each, examples pinned to rules, deleted rules that can come back."""

import sqlalchemy as sa
from alembic import op

from mnemic.core.message.addresses import Address
from mnemic.store.mail.addresses import address_columns

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

_COLUMNS = ("name", "local", "domain", "canonical", "home", "folded")


def upgrade() -> None:
    """Bring the tables to this version, and fill them for the mail that is here."""
    _addresses()
    _rules()


def _addresses() -> None:
    op.create_table(
        "address",
        sa.Column("id", sa.Integer(), primary_key=True, nullable=False),
        *(sa.Column(each, sa.String(), nullable=False) for each in _COLUMNS),
    )
    op.create_index("address_written", "address", ["local", "domain", "name"], unique=True)
    op.create_index("ix_address_canonical", "address", ["canonical"])
    op.create_index("ix_address_home", "address", ["home"])
    connection = op.get_bind()
    written = connection.execute(
        sa.text("SELECT DISTINCT name, local, domain FROM message_address")
    )
    rows = [address_columns(Address(*each)) for each in written.all()]
    if rows:
        named = ", ".join(f":{each}" for each in _COLUMNS)
        connection.execute(
            sa.text(f"INSERT INTO address ({', '.join(_COLUMNS)}) VALUES ({named})"), rows
        )
    op.rename_table("message_address", "message_address_written")
    op.create_table(
        "message_address",
        sa.Column("message_id", sa.Integer(), sa.ForeignKey("message.id", ondelete="CASCADE"), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("header", sa.String(), nullable=False),
        sa.Column("address_id", sa.Integer(), sa.ForeignKey("address.id"), nullable=False),
        sa.PrimaryKeyConstraint("message_id", "position"),
        sqlite_with_rowid=False,
    )  # fmt: skip
    op.execute(
        "INSERT INTO message_address (message_id, position, header, address_id)"
        " SELECT w.message_id, row_number() OVER (PARTITION BY w.message_id ORDER BY w.id) - 1,"
        " w.header, a.id FROM message_address_written AS w JOIN address AS a"
        " ON a.local = w.local AND a.domain = w.domain AND a.name = w.name"
    )
    op.drop_table("message_address_written")
    op.create_index("message_of_address", "message_address", ["address_id", "header", "message_id"])


def _rules() -> None:
    op.add_column(
        "rule", sa.Column("deleted", sa.Boolean(), nullable=False, server_default=sa.false())
    )
    op.create_table(
        "pin",
        sa.Column("rule_id", sa.Integer(), sa.ForeignKey("rule.id", ondelete="CASCADE"), nullable=False),
        sa.Column("message_id", sa.Integer(), sa.ForeignKey("message.id", ondelete="CASCADE"), nullable=False),
        sa.Column("wanted", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("rule_id", "message_id"),
    )  # fmt: skip
    op.create_index(
        "journal_of_rule", "journal", ["entity_id"], sqlite_where=sa.text("entity = 'rule'")
    )
