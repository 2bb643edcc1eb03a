"""What the owner does not want to be told again."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.create_table(
        "turned_away",
        sa.Column("what", sa.String(), primary_key=True, nullable=False),
        sa.Column("evidence", sa.Integer(), nullable=False),
        sqlite_with_rowid=False,
    )
