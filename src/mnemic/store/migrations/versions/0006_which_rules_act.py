"""A catch-up sends mail through the whole line, of which some rules act."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.add_column("catch_up", sa.Column("acting", sa.String(), nullable=False, server_default="[]"))
    # Until now all rules of a catch-up acted.
    op.execute("UPDATE catch_up SET acting = rules")
