"""The driver's own connection of a session: statements without SQLAlchemy around them."""

import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session, SQLModel

from mnemic.store.engine.session_memory import memory_of

__all__ = ["driver", "insert_row", "insert_rows", "listed_numbers"]


@dataclass
class _Driver:
    """The connection of a session, once it has one."""

    connection: sqlite3.Connection | None = None


def driver(session: Session) -> sqlite3.Connection:
    """The session's connection without SQLAlchemy around it, inside the same transaction.

    For what is done for each message: a statement costs a tenth of what it does through SQLAlchemy.
    """
    known = memory_of(session, _Driver)
    if known.connection is None:
        connection = session.connection().connection.driver_connection
        assert isinstance(connection, sqlite3.Connection)  # noqa: S101 -- for the type checker
        known.connection = connection
    return known.connection


def listed_numbers(
    session: Session, sql: str, parameters: Sequence[Any] | Mapping[str, Any] = ()
) -> NDArray[np.int64]:
    """The numbers in the one text that SQL makes of them (``group_concat``, with spaces between).

    A row for each would cost ten times as much, and hold up every other thread.
    """
    ((listed,),) = driver(session).execute(sql, parameters).fetchall()
    return np.fromstring(listed or "", np.int64, sep=" ")


@cache
def _insert(model: type[SQLModel], columns: tuple[str, ...]) -> str:
    named = ", ".join(columns)
    values = ", ".join(f":{column}" for column in columns)
    return f"INSERT INTO {model.__tablename__} ({named}) VALUES ({values})"


def insert_row(session: Session, model: type[SQLModel], row: Mapping[str, Any]) -> int:
    """Insert a row given by its columns, without an object of its model; returns its id."""
    cursor = driver(session).execute(_insert(model, tuple(row)), row)
    key = cursor.lastrowid or 0
    cursor.close()
    return key


def insert_rows(session: Session, model: type[SQLModel], rows: Sequence[Mapping[str, Any]]) -> None:
    """Insert rows of the same columns."""
    if rows:
        driver(session).executemany(_insert(model, tuple(rows[0])), rows).close()
