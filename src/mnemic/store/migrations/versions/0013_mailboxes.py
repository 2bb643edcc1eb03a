"""Mailboxes: a tree of folders each; what was here before is in the local one."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.create_table(
        "mailbox",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("account_id", sa.Integer(), nullable=True),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("account_id"),
    )
    op.execute("INSERT INTO mailbox (id) VALUES (1)")
    for table in ("folder", "message"):
        column = sa.Column("mailbox_id", sa.Integer(), nullable=False, server_default="1")
        op.add_column(table, column)
    for index in ("folder_path", "folder_canonical", "folder_role"):
        op.drop_index(index, "folder")
    above = sa.text("coalesce(parent_id, 0)")
    op.create_index("folder_path", "folder", ["mailbox_id", above, "name"], unique=True)
    op.create_index("folder_canonical", "folder", ["mailbox_id", above, "canonical"])
    op.create_index("folder_role", "folder", ["mailbox_id", "role"], unique=True)
