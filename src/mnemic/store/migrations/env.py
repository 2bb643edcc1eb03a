"""Alembic's way in: the connection comes from ``Database``."""

from alembic import context
from sqlmodel import SQLModel

import mnemic.store.engine.catch_up_tables
import mnemic.store.engine.server_tables
import mnemic.store.engine.tables  # noqa: F401 -- they register tables

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=SQLModel.metadata,
    render_as_batch=True,
    transactional_ddl=True,
)
context.run_migrations()
