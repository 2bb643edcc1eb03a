"""How much of the mail has each trigram: the index is asked for those that little of it has.

The list of messages of a common trigram is long, is read whole for each question, and tells little.
A sample of the mail tells the shares: what is found stays the same, whatever is left out.
"""

from collections import Counter
from collections.abc import Mapping
from threading import Lock

from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.reader_cache import ReadingSession
from mnemic.store.mail.trigram_index import INDEXED

__all__ = ["trigram_shares"]

#: Messages in the sample, evenly over all of them, and characters that are looked at of each.
_SAMPLE, _LOOKED_AT = 64, 4_000

#: Every list is short in a mailbox of fewer messages.
_FEWEST = 5_000

_TOP = "SELECT coalesce(max(message_id), 0) FROM message_folded"
_TEXTS = (
    f"SELECT substr({INDEXED}, 1, {_LOOKED_AT}) FROM message_folded WHERE message_id IN"
    " (SELECT value FROM json_each(?))"
)


class _Shares:
    """What the sample told, once for all readers: mail changes slowly."""

    def __init__(self) -> None:
        self._guard = Lock()
        self._shares: dict[str, float] | None = None

    def of(self, session: Session) -> Mapping[str, float]:
        with self._guard:
            if self._shares is None:
                ((top,),) = driver(session).execute(_TOP).fetchall()
                if top < _FEWEST:
                    return {}
                self._shares = _shares(session, range(1, top + 1, top // _SAMPLE))
            return self._shares


def trigram_shares(session: Session) -> Mapping[str, float]:
    """The share of the mail that has each trigram, as far as a sample tells.

    Empty where it matters little: in a small mailbox, and while something is changed.
    """
    if not isinstance(session, ReadingSession):
        return {}
    return session.shared.of(_Shares).of(session)


def _shares(session: Session, message_ids: range) -> dict[str, float]:
    rows = driver(session).execute(_TEXTS, (str(list(message_ids)),)).fetchall()
    seen: Counter[str] = Counter()
    for (text,) in rows:
        seen.update({text[at : at + 3] for at in range(len(text) - 2)})
    return {trigram: count / len(rows) for trigram, count in seen.items()}
