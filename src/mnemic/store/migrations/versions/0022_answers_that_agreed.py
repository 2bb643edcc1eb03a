"""What tells a server's answer about a folder that was as what is known here."""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.add_column("server_folder", sa.Column("agreed", sa.LargeBinary(), nullable=True))
