"""Since when a server fails, and how many changes wait for it."""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.add_column("connection", sa.Column("failing_since", sa.Integer(), nullable=True))
    op.add_column(
        "connection",
        sa.Column("waiting", sa.Integer(), nullable=False, server_default=sa.text("0")),
    )
