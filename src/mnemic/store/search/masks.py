"""Which messages conditions hold for, as arrays over ids, filled from the newest ids down.

Position ``n`` of an array stands for the message with id ``n``. What conditions say of the octets
of messages is shared by all readers and stays (``store.search.content_masks``); what depends on the
state of messages stays with the connection until somebody commits (``store.engine.reader_cache``).
So the next keystroke asks only for the condition that it changed.
"""

from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.core import Circumstances, Given, MessageState
from mnemic.core.actions.effect import Column
from mnemic.core.fields import BaseCondition
from mnemic.store.conditions_sql import Answer, Asking
from mnemic.store.conditions_sql.ids import (
    IdRange,
    Ids,
    candidates,
    ids_holding,
    ids_of_answer,
    parsed_for,
)
from mnemic.store.engine.reader_cache import ReadingSession, cache_of
from mnemic.store.mail.folders import folder_with_role
from mnemic.store.mail.message_states import states_of_messages
from mnemic.store.search.content_masks import ContentMasks, Mask, how_many
from mnemic.store.search.readings import Readings

__all__ = ["IdRange", "Mask", "Masks", "how_many"]

_LABELLED = (
    "SELECT message_id FROM message_label WHERE label_id = :label"
    " AND message_id > :low AND message_id <= :high"
)
_COPIED = (
    "SELECT m.id FROM message AS c JOIN message AS m ON m.digest = c.digest"
    " AND m.mailbox_id = c.mailbox_id WHERE c.folder_id = :folder AND m.id > :low AND m.id <= :high"
)

#: Messages whose octets are parsed between two looks at who still waits for them.
_PARSED_AT_ONCE = 200


@dataclass
class _Filled:
    """A mask that is filled for the ids above ``down_to``."""

    mask: Mask
    down_to: int

    @property
    def nbytes(self) -> int:
        return self.mask.nbytes


class Masks:
    """Masks of conditions and states, within one transaction that changes nothing."""

    def __init__(
        self,
        session: Session,
        circumstances: Circumstances,
        check: Callable[[], None] = lambda: None,
    ) -> None:
        """``check`` is called now and then during long work; what it raises ends the work."""
        self._session, self._cache, self._check = session, cache_of(session), check
        self._asking = Asking(session, circumstances.timezone, circumstances)
        self._given = Given(MessageState(), circumstances)
        self._content = (
            session.shared.of(ContentMasks) if isinstance(session, ReadingSession) else None
        )
        self._passing: dict[BaseCondition, _Filled] = {}
        self._states = self._cache.get("states", lambda: states_of_messages(session))
        self.folder_of = self._states.folder_of
        self.top = len(self.folder_of) - 1
        erased = folder_with_role(session, "erased")
        self._there: Mask = self._cache.get(
            "there", lambda: (self.folder_of > 0) & (self.folder_of != erased)
        )
        self.examined: int = self._cache.get("examined", lambda: how_many(self._there))

    def there(self, id_range: IdRange) -> Mask:
        """The messages that are in the mailbox, erased ones left out."""
        return self._there[id_range.low + 1 : id_range.high + 1]

    def in_folders(self, folder_ids: Sequence[int], id_range: IdRange) -> Mask:
        """The messages that lie in one of the folders."""

        def find() -> Mask:
            wanted = np.zeros(max(int(self.folder_of.max(initial=0)), *folder_ids, 0) + 1, np.bool_)
            wanted[list(folder_ids)] = True
            lies: Mask = wanted[self.folder_of]
            return lies

        mask: Mask = self._cache.get(("in folders", frozenset(folder_ids)), find)
        return mask[id_range.low + 1 : id_range.high + 1]

    def of(self, condition: BaseCondition, id_range: IdRange) -> Mask:
        """The messages for which a condition holds; ranges are asked for from the top down."""
        if condition.of_content and self._content is not None:
            return self._content.of(
                condition, id_range, lambda missing: self._ids(condition, missing)
            )
        if condition.of_the_clock:  # what holds changes with the clock
            filled = self._passing.setdefault(condition, self._empty())
        else:
            filled = self._cache.get(("holds", condition), self._empty)
        return self._fill(filled, id_range, lambda missing: self._ids(condition, missing))

    def with_value(self, column: Column, value: Any, id_range: IdRange) -> Mask:
        """The messages of which a state has a value."""
        mask: Mask = self._cache.get(
            ("with value", column, value), lambda: self._states.with_value(column, value)
        )
        return mask[id_range.low + 1 : id_range.high + 1]

    def labelled(self, label_id: int, id_range: IdRange) -> Mask:
        """The messages that bear a label."""
        return self._selected(_LABELLED, id_range, label=label_id)

    def copied_to(self, folder_ids: Sequence[int], id_range: IdRange) -> Mask:
        """The messages of which the one of these folders that is in their mailbox has a copy."""
        mask: Mask = np.zeros(id_range.size, np.bool_)
        for folder_id in folder_ids:
            mask = mask | self._selected(_COPIED, id_range, folder=folder_id)
        return mask

    def of_accounts(self, account_ids: Iterable[int], id_range: IdRange) -> Mask:
        """The messages that came to one of the accounts."""
        listed = ", ".join(str(int(key)) for key in account_ids)
        return self._where(f"m.account_id IN ({listed})", id_range)

    def received_since(self, since: int, id_range: IdRange) -> Mask:
        """The messages received at that time or later, in seconds since 1970-01-01 UTC."""
        mask: Mask = self._states.received[id_range.low + 1 : id_range.high + 1] >= since
        return mask

    def received(self, message_id: int) -> int:
        """When a message was received, in seconds since 1970-01-01 UTC."""
        return int(self._states.received[message_id])

    def received_of(self, ids: Ids) -> NDArray[np.int64]:
        """When each of these messages was received."""
        moments: NDArray[np.int64] = self._states.received[ids]
        return moments

    def received_before(self, until: int, id_range: IdRange) -> Mask:
        """The messages received before that time."""
        mask: Mask = self._states.received[id_range.low + 1 : id_range.high + 1] < until
        return mask

    def newest_first(self, ids: Ids, most: int) -> list[int]:
        """The newest of these messages by the time of receipt, so many at most."""
        ids_found: list[int] = self._states.newest_first(ids, most).tolist()
        return ids_found

    def _where(self, expression: str, id_range: IdRange, **parameters: Any) -> Mask:
        """The messages for which SQL over ``m`` (message) is true."""
        return self._answered(Answer(expression, parameters=parameters), id_range)

    def _selected(self, ids: str, id_range: IdRange, **parameters: Any) -> Mask:
        """The messages that SQL selects between ``:low`` and ``:high``."""
        return self._answered(Answer(ids=ids, parameters=parameters), id_range)

    def _answered(self, answer: Answer, id_range: IdRange) -> Mask:
        key = ("answered", answer.where, answer.ids, *sorted(answer.parameters.items()))
        filled = self._cache.get(key, self._empty)
        return self._fill(
            filled, id_range, lambda missing: ids_of_answer(answer, self._session, missing)
        )

    def remembered(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """Something else that was worked out of this state of the database."""
        return self._cache.get(key, make)

    def _empty(self) -> _Filled:
        return _Filled(np.zeros(self.top + 1, np.bool_), self.top)

    def _fill(self, filled: _Filled, id_range: IdRange, ids: Callable[[IdRange], Ids]) -> Mask:
        if filled.down_to > id_range.low:
            holding = ids(IdRange(id_range.low, filled.down_to))
            filled.mask[holding] = True
            filled.down_to = id_range.low
        return filled.mask[id_range.low + 1 : id_range.high + 1]

    def _ids(self, condition: BaseCondition, id_range: IdRange) -> Ids:
        holding = ids_holding(condition, self._asking, id_range)
        return self._parsed(condition, id_range) if holding is None else holding

    def _readings(self, condition: BaseCondition) -> Readings:
        return Readings() if self._content is None else self._content.readings(condition.reading)

    def _parsed(self, condition: BaseCondition, id_range: IdRange) -> Ids:
        """Answer what no table has: the messages are parsed, each once for what is read."""
        readings = self._readings(condition)
        passing = []
        rest = iter(candidates(condition, self._asking, id_range)[::-1].tolist())
        while batch := list(islice(rest, _PARSED_AT_ONCE)):
            self._check()
            read = readings.of(batch)
            unknown = [message_id for message_id in batch if message_id not in read]
            messages = parsed_for(condition, self._asking, unknown)
            new = {message_id: condition.reads(message) for message_id, message in messages}
            readings.add(new)
            read |= new
            passing += [
                message_id
                for message_id in batch
                if message_id in read and condition.holds_of(read[message_id], self._given)
            ]
        if self._content is not None:
            self._content.keep_readings(condition.reading, readings)
        return np.array(passing, np.int64)
