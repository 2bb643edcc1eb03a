"""Forwards and answers leave by an account's submission server, or wait until they can."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version: what is there was kept, and stays so."""
    for name in ("account_id", "since", "due", "ended"):
        op.add_column("posted", sa.Column(name, sa.Integer(), nullable=True))
    for column in (
        sa.Column("state", sa.String(), nullable=False, server_default=sa.text("'kept'")),
        sa.Column("tries", sa.Integer(), nullable=False, server_default=sa.text("0")),
        sa.Column("said", sa.String(), nullable=False, server_default=sa.text("''")),
    ):
        op.add_column("posted", column)
    op.create_index("posted_state", "posted", ["state", "account_id"])
    op.create_index("ix_posted_message_id", "posted", ["message_id"])
    for name, usual in (("submits", "1"), ("submission_refused", "0")):
        column = sa.Column(name, sa.Boolean(), nullable=False, server_default=sa.text(usual))
        op.add_column("connection", column)
