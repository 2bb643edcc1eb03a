"""What searches look at, made anew in steps: others write and read between them.

First all texts are folded anew, then indexed. Until then every text is looked at, which takes
longer and finds the same.
"""

from collections.abc import Callable

from sqlmodel import Session

from mnemic.store import Database
from mnemic.store.engine.driver import driver
from mnemic.store.mail.listing import count_messages
from mnemic.store.mail.message_states import states_of_messages
from mnemic.store.mail.reindexing import fold_some
from mnemic.store.mail.trigram_index import MOST_PENDING, forget_index, index_pending

__all__ = ["reindex_all"]

#: Messages in one transaction.
_STEP = 500


def reindex_all(database: Database) -> int:
    """Make the folded forms and the index of all messages anew; returns how many there are."""
    with database.writing() as session:
        forget_index(driver(session))
        top = states_of_messages(session).top
        if top <= MOST_PENDING:  # whoever takes mail in now would index what is not folded yet
            fold_some(session, 0, top)
            index_pending(driver(session), top)
            return count_messages(session)
    _in_steps(database, lambda session, above: fold_some(session, above, _STEP))
    _in_steps(database, lambda session, above: _index(session, min(top, above + _STEP)))
    with database.reading() as session:
        return count_messages(session)


def _in_steps(database: Database, step: Callable[[Session, int], int]) -> None:
    """Do something with messages in transactions of their own, until it comes no further."""
    above, before = 0, -1
    while above != before:
        before = above
        with database.writing() as session:
            above = step(session, above)


def _index(session: Session, up_to: int) -> int:
    index_pending(driver(session), up_to)
    return up_to
