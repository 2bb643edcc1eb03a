"""A connection that reads nothing on beyond the end of its transaction."""

import sqlite3
from typing import Any
from weakref import WeakSet

__all__ = ["BoundedConnection"]


class BoundedConnection(sqlite3.Connection):
    """Closes its cursors when its transaction is rolled back, as at the end of each session.

    SQLite lets a statement that was not read to its end go on after ROLLBACK (sqlite.org, "Response
    To Errors Within A Transaction"; from memory), and with it the state that it sees. Whoever gave
    up in the midst of rows may keep their cursor alive, in the traceback of what was raised; the
    next session on the connection would see that earlier state, whatever was committed since.
    """

    def __init__(self, *args: Any, **options: Any) -> None:
        super().__init__(*args, **options)
        self._cursors: WeakSet[sqlite3.Cursor] = WeakSet()

    def cursor(self, *args: Any, **options: Any) -> Any:
        """A cursor that lives no longer than the transaction."""
        cursor = super().cursor(*args, **options)
        self._cursors.add(cursor)
        return cursor

    def execute(self, *args: Any) -> sqlite3.Cursor:
        """The rows of a statement, on such a cursor."""
        cursor: sqlite3.Cursor = self.cursor().execute(*args)
        return cursor

    def executemany(self, *args: Any) -> sqlite3.Cursor:
        """A statement for each of many parameters, on such a cursor."""
        cursor: sqlite3.Cursor = self.cursor().executemany(*args)
        return cursor

    def rollback(self) -> None:
        """End the transaction, and all that is still being read in it."""
        for cursor in tuple(self._cursors):
            cursor.close()
        self._cursors.clear()
        super().rollback()
