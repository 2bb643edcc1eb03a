"""Small tables bear a stamp, drawn anew with every change."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

_TABLES = ("account", "alias", "contact_address", "folder", "preference", "rule")


def upgrade() -> None:
    """Bring the tables to this version."""
    op.create_table(
        "stamp",
        sa.Column("name", sa.String(), primary_key=True, nullable=False),
        sa.Column("value", sa.Integer(), nullable=False),
        sqlite_with_rowid=False,
    )
    for table in _TABLES:
        op.execute(f"INSERT INTO stamp (name, value) VALUES ('{table}', random())")
        for change in ("INSERT", "UPDATE", "DELETE"):
            op.execute(
                f"CREATE TRIGGER {table}_after_{change.lower()} AFTER {change} ON {table} BEGIN"
                f" UPDATE stamp SET value = random() WHERE name = '{table}'; END"
            )
