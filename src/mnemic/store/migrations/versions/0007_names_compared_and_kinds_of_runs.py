"""Names of labels and folders in the form in which they are compared; what kind of run a run is."""

import json
import re

import sqlalchemy as sa
from alembic import op

from mnemic.core.canonical import canonical_name

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

#: What a run's saying began with, the outermost first.
_LEADS = re.compile(r"(?:(?:Undone|Done again|Undone in part|in): )+")
_KINDS = {"Undone: ": "undone", "Done again: ": "again", "Undone in part: ": "undone_in_part"}


def upgrade() -> None:
    """Bring the tables to this version."""
    for table in ("label", "folder"):
        op.add_column(table, sa.Column("canonical", sa.String(), nullable=False, server_default=""))
        _fill(table)
    op.create_index("label_canonical", "label", ["canonical"])
    op.create_index("folder_canonical", "folder", [sa.text("coalesce(parent_id, 0)"), "canonical"])
    op.add_column("run", sa.Column("kind", sa.String(), nullable=False, server_default="done"))
    _tell_kinds()


def _fill(table: str) -> None:
    connection = op.get_bind()
    for key, name in connection.execute(sa.text(f"SELECT id, name FROM {table}")).all():
        connection.execute(
            sa.text(f"UPDATE {table} SET canonical = :canonical WHERE id = :id"),
            {"canonical": canonical_name(name), "id": key},
        )
    # What the journal would put back has to be a whole row, too.
    rows = connection.execute(
        sa.text("SELECT id, before, after FROM journal WHERE entity = :table AND slot = 'row'"),
        {"table": table},
    ).all()
    for key, before, after in rows:
        connection.execute(
            sa.text("UPDATE journal SET before = :before, after = :after WHERE id = :id"),
            {"before": _whole(before), "after": _whole(after), "id": key},
        )


def _whole(row: str | None) -> str | None:
    if row is None:
        return None
    values = json.loads(row)
    return json.dumps({**values, "canonical": canonical_name(values["name"])}, ensure_ascii=False)


def _tell_kinds() -> None:
    connection = op.get_bind()
    rows = connection.execute(sa.text("SELECT id, saying FROM run WHERE undoes IS NOT NULL")).all()
    for key, saying in rows:
        kind = next((kind for lead, kind in _KINDS.items() if saying.startswith(lead)), "undone")
        connection.execute(
            sa.text("UPDATE run SET kind = :kind, saying = :what WHERE id = :id"),
            {"kind": kind, "what": _LEADS.sub("", saying, count=1), "id": key},
        )
