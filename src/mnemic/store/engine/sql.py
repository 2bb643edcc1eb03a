"""SQL of our own, and how it is run."""

from dataclasses import dataclass
from typing import Any

from sqlalchemy import CursorResult, text
from sqlmodel import Session

__all__ = ["Statement", "execute", "fetch"]


@dataclass(frozen=True, slots=True)
class Statement:
    """SQL that gives ids, with its parameters."""

    sql: str
    parameters: dict[str, Any]


def execute(session: Session, sql: str, **parameters: Any) -> CursorResult[Any]:
    """Run one statement."""
    return session.connection().execute(text(sql), parameters)


def fetch(session: Session, sql: str, **parameters: Any) -> list[Any]:
    """The rows of a query, each a tuple of what it asks for."""
    return list(execute(session, sql, **parameters))
