"""Whether the trash of a connected account is emptied, on its server, too."""

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version: no trash is emptied before the owner says so."""
    off = sa.text("0")
    op.add_column(
        "connection", sa.Column("empties_trash", sa.Boolean(), nullable=False, server_default=off)
    )
