"""Ids that no folder and no label has had: the journal still speaks of those that are gone.

Whoever undoes what was done in a folder or with a label that is gone must not find another one.
"""

from typing import Literal, TypeAlias

from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.session_memory import memory_of

__all__ = ["new_id"]

_Made: TypeAlias = Literal["folder", "label"]


class _LastIds(dict[_Made, int]):
    """The ids that a session gave last; nobody else gives one while a transaction writes."""


def new_id(session: Session, entity: _Made) -> int:
    """An id for a folder or a label that is being made."""
    last = memory_of(session, _LastIds)
    if entity not in last:
        session.flush()
        ((used,),) = driver(session).execute(
            f"SELECT max(coalesce((SELECT max(id) FROM {entity}), 0), coalesce("
            "(SELECT max(entity_id) FROM journal WHERE entity = ?), 0))",
            (entity,),
        )
        last[entity] = int(used)
    last[entity] += 1
    return last[entity]
