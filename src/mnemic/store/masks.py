"""Which messages conditions hold for, as arrays over ids, filled from the newest ids down.

Position ``n`` of an array stands for the message with id ``n``. What has been found is kept with
the connection (``store.kept``): the next keystroke asks only for the condition that it changed.
"""

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from datetime import datetime
from itertools import islice
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.core import Circumstances, Given, MessageState
from mnemic.core.conditions import AnyCondition
from mnemic.core.conditions.measures import AgeCondition
from mnemic.core.conditions.texts import TextTestCondition
from mnemic.store.folders import folder_with_role
from mnemic.store.holding import Holding, Ids, Span
from mnemic.store.kept import kept
from mnemic.store.message_views import StoredMessage, stored_messages
from mnemic.store.tables import driver

__all__ = ["Mask", "Masks", "Span"]

Mask = NDArray[np.bool_]

#: Messages whose octets are parsed between two looks at who still waits for them.
_PARSED_AT_ONCE = 200


@dataclass
class _Filled:
    """A mask that is filled for the ids above ``down_to``."""

    mask: Mask
    down_to: int


class Masks:
    """Masks of conditions and states, within one transaction that changes nothing."""

    def __init__(
        self,
        session: Session,
        circumstances: Circumstances,
        check: Callable[[], None] = lambda: None,
    ) -> None:
        """``check`` is called now and then during long work; what it raises ends the work."""
        self._session, self._kept, self._check = session, kept(session), check
        self._holding = Holding(session, circumstances)
        self._given = Given(MessageState(), circumstances)
        self._passing: dict[AgeCondition, _Filled] = {}
        self.folder_of = self._kept.get("folder of", self._folders)
        self.top = len(self.folder_of) - 1
        erased = folder_with_role(session, "erased")
        self._there: Mask = self._kept.get(
            "there", lambda: (self.folder_of > 0) & (self.folder_of != erased)
        )
        self.examined: int = self._kept.get("examined", lambda: int(self._there.sum()))

    def _folders(self) -> NDArray[np.int32]:
        """The folder of each message, 0 where there is none of that id."""
        # A row for each folder: to fetch one for each message would hold up every other thread.
        rows = driver(self._session).execute(
            "SELECT folder_id, group_concat(id) FROM message GROUP BY folder_id"
        )
        ids = {folder: np.fromstring(listed, np.int64, sep=",") for folder, listed in rows}
        top = max((int(each.max()) for each in ids.values()), default=0)
        found = np.zeros(top + 1, np.int32)
        for folder, messages in ids.items():
            found[messages] = folder
        return found

    def there(self, span: Span) -> Mask:
        """The messages that are in the mailbox, erased ones left out."""
        return self._there[span.low + 1 : span.high + 1]

    def in_folder(self, folder_id: int, span: Span) -> Mask:
        """The messages of one folder."""
        mask: Mask = self.folder_of[span.low + 1 : span.high + 1] == folder_id
        return mask

    def of(self, condition: AnyCondition, span: Span) -> Mask:
        """The messages for which a condition holds; spans are asked for from the top down."""
        if isinstance(condition, AgeCondition):  # what holds changes with the clock
            filled = self._passing.setdefault(condition, self._empty())
        else:
            filled = self._kept.get(("holds", condition), self._empty)
        return self._fill(filled, span, lambda missing: self._ids(condition, missing))

    def where(self, expression: str, span: Span, **parameters: Any) -> Mask:
        """The messages for which SQL over ``m`` (message) is true."""
        key = ("where", expression, *sorted(parameters.items()))
        filled = self._kept.get(key, self._empty)
        return self._fill(
            filled, span, lambda missing: self._holding.where(expression, parameters, missing)
        )

    def kept(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """Something else that was worked out of this state of the database."""
        return self._kept.get(key, make)

    def _empty(self) -> _Filled:
        return _Filled(np.zeros(self.top + 1, np.bool_), self.top)

    def _fill(self, filled: _Filled, span: Span, ids: Callable[[Span], Ids]) -> Mask:
        if filled.down_to > span.low:
            found = ids(Span(span.low, filled.down_to))
            filled.mask[found] = True
            filled.down_to = span.low
        return filled.mask[span.low + 1 : span.high + 1]

    def _ids(self, condition: AnyCondition, span: Span) -> Ids:
        found = self._holding.ids(condition, span)
        return self._parsed(condition, span) if found is None else found

    def _parsed(self, condition: AnyCondition, span: Span) -> Ids:
        """For what stands in no table: the messages are parsed, each once for a field."""
        channels = condition.channels if isinstance(condition, TextTestCondition) else ()
        read: dict[int, tuple[Any, ...]] = self._kept.get(("read", condition.field, channels), dict)
        passing = []
        rest = iter(self._holding.candidates(condition, span)[::-1].tolist())
        while batch := list(islice(rest, _PARSED_AT_ONCE)):
            self._check()
            unknown = [each for each in batch if each not in read]
            for message in stored_messages(self._session, iter(unknown)):
                read[message.id] = _looked_at(condition, message)
            passing += [key for key in batch if _passes(condition, read.get(key, ()), self._given)]
        return np.array(passing, np.int64)


@dataclass(frozen=True, slots=True)
class _Dated:
    """A message of which the Date field is known."""

    sent: datetime


def _looked_at(condition: AnyCondition, message: StoredMessage) -> tuple[Any, ...]:
    """What a condition looks at: comparable texts, or the Date field."""
    if isinstance(condition, TextTestCondition):
        return tuple(
            text for each in condition.channels for text in condition.comparables(message, each)
        )
    return () if message.sent is None else (message.sent,)


def _passes(condition: AnyCondition, looked_at: tuple[Any, ...], given: Given) -> bool:
    if getattr(condition, "test", "") == "exists":
        return bool(looked_at)
    if isinstance(condition, TextTestCondition):
        return any(condition.find(text) is not None for text in looked_at)
    view: Any = [_Dated(each) for each in looked_at]
    return any(condition.holds(each, given) for each in view)
