"""Catch-ups keep the rules as they were asked for, what they run on, and their mail in batches."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.add_column(
        "catch_up", sa.Column("event", sa.String(), nullable=False, server_default="hand")
    )
    op.add_column(
        "catch_up", sa.Column("documents", sa.String(), nullable=False, server_default="[]")
    )
    # One that was half way knew its rules by their ids alone: it ends here, and can be undone.
    op.execute("UPDATE catch_up SET state = 'stopped' WHERE state IN ('waiting', 'running')")
    op.drop_table("catch_up_message")
    op.create_table(
        "catch_up_batch",
        sa.Column("catch_up_id", sa.Integer(), sa.ForeignKey("catch_up.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("messages", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("catch_up_id", "number"),
    )  # fmt: skip
    op.create_index("catch_up_of_event", "catch_up", ["event", "at"])
