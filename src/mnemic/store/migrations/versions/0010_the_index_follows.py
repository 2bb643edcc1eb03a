"""The trigram index may follow: how far it has come."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.create_table("trigram_index", sa.Column("up_to", sa.Integer(), primary_key=True))
    op.execute("INSERT INTO trigram_index SELECT coalesce(max(id), 0) FROM message")
