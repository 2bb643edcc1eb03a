"""Which rules took which messages, and which mail they kept from the inbox: of all the trail."""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import listed_numbers
from mnemic.store.mail.folders import folder_paths, folder_with_role

__all__ = ["kept_from_inbox", "rules_that_took"]

#: Rows of two columns.
Pairs: TypeAlias = NDArray[np.int64]


def rules_that_took(session: Session) -> Pairs:
    """Messages, each with the id of a rule that took it; a pair may come several times."""
    numbers = listed_numbers(
        session,
        "SELECT group_concat(message_id || ' ' || rule_id, ' ') FROM trail"
        " WHERE rule_id IS NOT NULL",
    )
    return numbers.reshape(-1, 2)


def kept_from_inbox(session: Session) -> NDArray[np.int64]:
    """The messages that a rule put elsewhere than in the inbox as they came in."""
    inbox = folder_paths(session)[folder_with_role(session, "inbox")]  # the same in each
    return listed_numbers(
        session,
        "SELECT group_concat(message_id, ' ') FROM trail"
        " WHERE event IN ('arrival', 'server') AND folder IS NOT NULL AND folder <> ?",
        (inbox,),
    )
