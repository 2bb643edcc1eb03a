"""The mailbox on disk: SQLite through SQLModel, one module an aggregate.

Functions take a session of ``Database.reading()`` or ``Database.writing()``; rows turn into
frozen values here.
"""

from mnemic.store.engine.database import Database, StoreError

__all__ = ["Database", "StoreError"]
