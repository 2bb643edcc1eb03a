"""The keywords of labels that are deleted are remembered until no server has them any more."""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this version."""
    op.create_table(
        "deleted_label_keyword",
        sa.Column("keyword", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("keyword"),
    )
    op.execute(
        "CREATE TRIGGER label_keyword_after_delete AFTER DELETE ON label_keyword BEGIN"
        " INSERT OR IGNORE INTO deleted_label_keyword (keyword) VALUES (old.keyword); END"
    )
    op.execute(
        "CREATE TRIGGER label_keyword_after_insert AFTER INSERT ON label_keyword BEGIN"
        " DELETE FROM deleted_label_keyword WHERE keyword = new.keyword; END"
    )
