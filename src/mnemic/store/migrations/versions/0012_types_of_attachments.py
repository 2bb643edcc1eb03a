"""The types of attachments stand beside their number."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.add_column("message", sa.Column("attachment_types", sa.String(), nullable=True))
    op.execute(
        "CREATE INDEX message_types_unknown ON message (id)"
        " WHERE attachments > 0 AND attachment_types IS NULL"
    )
