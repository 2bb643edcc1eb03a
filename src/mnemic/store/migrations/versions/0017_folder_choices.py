"""What the owner says a folder of a server is for, or that it is left out."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.create_table(
        "folder_choice",
        sa.Column("mailbox_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("choice", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("mailbox_id", "name"),
    )
