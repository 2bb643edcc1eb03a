"""Accounts whose mail lies on a server, and what that server was last known to have."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def _text(name: str, *, nullable: bool = False) -> sa.Column[str]:
    return sa.Column(name, sa.String(), nullable=nullable)


def _number(name: str, *, nullable: bool = False) -> sa.Column[int]:
    return sa.Column(name, sa.Integer(), nullable=nullable)


def upgrade() -> None:
    """Bring the tables to this version."""
    op.create_table(
        "connection",
        _number("account_id"),
        _number("mailbox_id"),
        _text("host"),
        _number("port"),
        _text("security"),
        _text("authorities", nullable=True),
        _text("user"),
        _text("secret_kind"),
        sa.Column("secret", sa.LargeBinary(), nullable=False),
        _text("submission_host", nullable=True),
        _number("submission_port", nullable=True),
        _text("submission_security", nullable=True),
        sa.Column("acting", sa.Boolean(), nullable=False),
        sa.Column("refused", sa.Boolean(), nullable=False),
        _text("state"),
        _text("alert", nullable=True),
        _number("inbox_validity", nullable=True),
        _number("inbox_uidnext", nullable=True),
        sa.PrimaryKeyConstraint("account_id"),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], ondelete="CASCADE"),
    )
    op.create_table(
        "server_folder",
        _number("id"),
        _number("mailbox_id"),
        _number("folder_id"),
        _text("name"),
        _text("path"),
        _number("validity", nullable=True),
        _number("uidnext"),
        _number("modseq", nullable=True),
        _number("arrivals_from"),
        sa.Column("mirrored", sa.Boolean(), nullable=False),
        _text("trouble", nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("server_folder_name", "server_folder", ["mailbox_id", "name"], unique=True)
    op.create_index("ix_server_folder_folder_id", "server_folder", ["folder_id"])
    op.create_table(
        "server_message",
        _number("message_id"),
        _number("server_folder_id", nullable=True),
        _number("uid", nullable=True),
        sa.Column("seen", sa.Boolean(), nullable=False),
        sa.Column("flagged", sa.Boolean(), nullable=False),
        sa.Column("deleted", sa.Boolean(), nullable=False),
        _text("keywords"),
        _number("size"),
        sa.PrimaryKeyConstraint("message_id"),
        sa.ForeignKeyConstraint(["message_id"], ["message.id"], ondelete="CASCADE"),
    )
    op.create_index(
        "server_message_uid", "server_message", ["server_folder_id", "uid"], unique=True
    )
    op.create_table(
        "server_begun",
        _number("message_id"),
        _number("server_folder_id"),
        sa.PrimaryKeyConstraint("message_id"),
        sa.ForeignKeyConstraint(["message_id"], ["message.id"], ondelete="CASCADE"),
    )
    op.create_table(
        "server_left",
        _number("server_folder_id"),
        _number("uid"),
        sa.Column("marked", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("server_folder_id", "uid"),
        sqlite_with_rowid=False,
    )
    op.create_table(
        "foreseen",
        _number("id"),
        _number("message_id"),
        _number("rule_id", nullable=True),
        _text("rule_name"),
        _text("event"),
        _number("at"),
        _text("folder", nullable=True),
        _text("labels"),
        _text("evidence"),
        _text("actions"),
        sa.PrimaryKeyConstraint("id"),
        sa.ForeignKeyConstraint(["message_id"], ["message.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["rule_id"], ["rule.id"], ondelete="SET NULL"),
    )
    op.create_index("ix_foreseen_message_id", "foreseen", ["message_id"])
    op.create_table(
        "label_keyword",
        _number("label_id"),
        _text("keyword"),
        sa.PrimaryKeyConstraint("label_id"),
        sa.UniqueConstraint("keyword"),
        sa.ForeignKeyConstraint(["label_id"], ["label.id"], ondelete="CASCADE"),
    )
