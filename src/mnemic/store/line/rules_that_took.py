"""Which rules took which messages, and which mail they kept from the inbox: of all the trail."""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.mail.folders import folder_paths, folder_with_role

__all__ = ["kept_from_inbox", "rules_that_took"]

#: Rows of two columns.
Pairs: TypeAlias = NDArray[np.int64]


def _numbers(session: Session, sql: str, *parameters: object) -> NDArray[np.int64]:
    """The numbers that one text holds: a row for each would cost ten times as much."""
    ((listed,),) = driver(session).execute(sql, parameters).fetchall()
    return np.fromstring(listed or "", np.int64, sep=" ")


def rules_that_took(session: Session) -> Pairs:
    """Messages, each with the id of a rule that took it; a pair may come several times."""
    numbers = _numbers(
        session,
        "SELECT group_concat(message_id || ' ' || rule_id, ' ') FROM trail"
        " WHERE rule_id IS NOT NULL",
    )
    return numbers.reshape(-1, 2)


def kept_from_inbox(session: Session) -> NDArray[np.int64]:
    """The messages that a rule put elsewhere than in the inbox as they came in."""
    inbox = folder_paths(session)[folder_with_role(session, "inbox")]  # the same in each
    return _numbers(
        session,
        "SELECT group_concat(message_id, ' ') FROM trail"
        " WHERE event IN ('arrival', 'server') AND folder IS NOT NULL AND folder <> ?",
        inbox,
    )
