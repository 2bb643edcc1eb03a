"""What was found within one session, kept for the session's short life: numbers of rows, mostly.

Within one transaction they stay as they are; the next one has a session of its own.
"""

from typing import TypeVar

from sqlmodel import Session

__all__ = ["forget", "memory_of"]

Kind = TypeVar("Kind")


def memory_of(session: Session, kind: type[Kind]) -> Kind:
    """What the session remembers of a kind, a class of the module that uses it."""
    memory = session.info.get(kind)
    if not isinstance(memory, kind):
        memory = session.info[kind] = kind()
    return memory


def forget(session: Session, kind: type[object]) -> None:
    """Let the session look anew for what it remembered of this kind."""
    session.info.pop(kind, None)
