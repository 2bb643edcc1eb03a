"""Messages that a person takes from one mailbox to another: the original waits for its copy."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.create_table(
        "crossing",
        sa.Column("copy_id", sa.Integer(), nullable=False),
        sa.Column("message_id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("copy_id"),
        sa.ForeignKeyConstraint(["copy_id"], ["message.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["message_id"], ["message.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], ondelete="CASCADE"),
    )
