"""Catch-ups that go on in the background, and whose part in a run each change was."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.add_column("journal", sa.Column("rule_id", sa.Integer(), nullable=True))
    op.create_table(
        "catch_up",
        sa.Column("id", sa.Integer(), primary_key=True, nullable=False),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("saying", sa.String(), nullable=False),
        sa.Column("rules", sa.String(), nullable=False),
        sa.Column("respects", sa.Boolean(), nullable=False),
        sa.Column("examined", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("report", sa.String(), nullable=False),
        sa.Column("run_id", sa.Integer(), sa.ForeignKey("run.id", ondelete="SET NULL"), nullable=True),
    )  # fmt: skip
    op.create_table(
        "catch_up_message",
        sa.Column("catch_up_id", sa.Integer(), sa.ForeignKey("catch_up.id", ondelete="CASCADE"), nullable=False),
        sa.Column("message_id", sa.Integer(), sa.ForeignKey("message.id", ondelete="CASCADE"), nullable=False),
        sa.PrimaryKeyConstraint("catch_up_id", "message_id"),
        sqlite_with_rowid=False,
    )  # fmt: skip
    op.create_index("ix_catch_up_message_message_id", "catch_up_message", ["message_id"])
