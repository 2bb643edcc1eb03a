"""The first tables."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.create_table(
        "folder",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("parent_id", sa.Integer(), nullable=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("role", sa.String(), nullable=True),
        sa.ForeignKeyConstraint(
            ["parent_id"],
            ["folder.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(
        "folder_path", "folder", [sa.text("coalesce(parent_id, 0)"), "name"], unique=True
    )
    op.create_index("folder_role", "folder", ["role"], unique=True)

    op.create_table(
        "label",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("colour", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name"),
    )
    op.create_table(
        "rule",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("document", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_rule_position", "rule", ["position"], unique=False)

    op.create_table(
        "message",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("message_id", sa.String(), nullable=True),
        sa.Column("subject", sa.String(), nullable=True),
        sa.Column("sender_name", sa.String(), nullable=False),
        sa.Column("sender_address", sa.String(), nullable=False),
        sa.Column("preview", sa.String(), nullable=False),
        sa.Column("received_at", sa.Integer(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("attachments", sa.Integer(), nullable=False),
        sa.Column("folder_id", sa.Integer(), nullable=False),
        sa.Column("seen", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["folder_id"],
            ["folder.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_message_digest", "message", ["digest"], unique=False)
    op.create_index("ix_message_received_at", "message", ["received_at"], unique=False)
    op.create_index(
        "message_in_folder", "message", ["folder_id", "received_at", "id"], unique=False
    )
    op.create_index(
        "message_unseen", "message", ["folder_id"], unique=False, sqlite_where=sa.text("seen = 0")
    )

    op.create_table(
        "message_address",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("message_id", sa.Integer(), nullable=False),
        sa.Column("header", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("local", sa.String(), nullable=False),
        sa.Column("domain", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["message_id"], ["message.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(
        "ix_message_address_message_id", "message_address", ["message_id"], unique=False
    )

    op.create_table(
        "message_label",
        sa.Column("message_id", sa.Integer(), nullable=False),
        sa.Column("label_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["label_id"], ["label.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["message_id"], ["message.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("message_id", "label_id"),
    )
    op.create_index("ix_message_label_label_id", "message_label", ["label_id"], unique=False)

    op.create_table(
        "message_octets",
        sa.Column("message_id", sa.Integer(), nullable=False),
        sa.Column("octets", sa.LargeBinary(), nullable=False),
        sa.Column("return_path", sa.String(), nullable=True),
        sa.ForeignKeyConstraint(["message_id"], ["message.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("message_id"),
    )
    op.create_table(
        "message_text",
        sa.Column("message_id", sa.Integer(), nullable=False),
        sa.Column("body", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["message_id"], ["message.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("message_id"),
    )
    op.create_table(
        "trail",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("message_id", sa.Integer(), nullable=False),
        sa.Column("rule_id", sa.Integer(), nullable=True),
        sa.Column("rule_name", sa.String(), nullable=False),
        sa.Column("event", sa.String(), nullable=False),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("folder", sa.String(), nullable=True),
        sa.Column("labels", sa.String(), nullable=False),
        sa.Column("evidence", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["message_id"], ["message.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["rule_id"], ["rule.id"], ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_trail_message_id", "trail", ["message_id"], unique=False)
    op.create_index("trail_of_rule", "trail", ["rule_id", "at"], unique=False)

    # A mailbox has an inbox from its first minute.
    op.execute("INSERT INTO folder (name, role) VALUES ('Inbox', 'inbox')")
