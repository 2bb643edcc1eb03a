"""Where an account's rules run: here, or as a script on its server."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.create_table(
        "server_script",
        sa.Column("account_id", sa.Integer(), nullable=False),
        sa.Column("host", sa.String(), nullable=False),
        sa.Column("port", sa.Integer(), nullable=False),
        sa.Column("security", sa.String(), nullable=False),
        sa.Column("capabilities", sa.String(), nullable=False),
        sa.Column("runs", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("put", sa.LargeBinary(), nullable=True),
        sa.Column("putting", sa.LargeBinary(), nullable=True),
        sa.Column("rules", sa.String(), nullable=False),
        sa.Column("before_name", sa.String(), nullable=True),
        sa.Column("before", sa.LargeBinary(), nullable=True),
        sa.Column("inbox_validity", sa.Integer(), nullable=True),
        sa.Column("inbox_uidnext", sa.Integer(), nullable=True),
        sa.Column("since", sa.Integer(), nullable=False),
        sa.Column("trouble", sa.String(), nullable=True),
        sa.Column("asks", sa.Boolean(), nullable=False),
        sa.Column("refused", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("account_id"),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], ondelete="CASCADE"),
    )
