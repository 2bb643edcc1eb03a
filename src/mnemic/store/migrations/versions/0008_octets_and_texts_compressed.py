"""Octets and texts compressed: what is here is brought over afterwards, while Mnemic runs."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    for table in ("message_octets", "message_text"):
        op.add_column(table, sa.Column("packed", sa.LargeBinary(), nullable=True))
        # What is left to be brought over; empty in a mailbox that is.
        op.create_index(
            f"{table}_as_they_came", table, ["message_id"], sqlite_where=sa.text("packed IS NULL")
        )
