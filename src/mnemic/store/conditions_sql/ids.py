"""The messages of a range of ids for which an answer is true."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.core import MessageView, parse_message
from mnemic.core.fields import BaseCondition
from mnemic.core.message.parsing import parse_header
from mnemic.store.conditions_sql import Asking, answer_to
from mnemic.store.conditions_sql.answer import SOURCES, Answer
from mnemic.store.conditions_sql.many_values import has_many_values, in_parts
from mnemic.store.engine.driver import driver, listed_numbers
from mnemic.store.mail.message_views import stored_messages
from mnemic.store.mail.messages import headers_of_messages, octets_of_messages
from mnemic.store.mail.trigram_index import may_hold

__all__ = ["IdRange", "Ids", "candidates", "ids_holding", "ids_of_answer", "parsed_for", "spans"]

Ids = NDArray[np.int64]

#: Messages that are looked at together for many rules: with 1,000 of them their masks have 32 MB.
_SPAN = 32_768


#: Messages of which all that is asked about them can be looked up, message by message.
_FEW = 200

#: The ids that a SELECT of one column tells, as one text.
_LISTED = "WITH found (id) AS ({}) SELECT group_concat(id, ' ') FROM found"


class IdRange(NamedTuple):
    """The messages with ids above ``low``, up to and with ``high``."""

    low: int
    high: int

    @property
    def size(self) -> int:
        """How many ids there are in it."""
        return self.high - self.low


def spans(top: int, size: int = _SPAN) -> Iterator[IdRange]:
    """The ids up to a largest one in ranges of a size, from the top down."""
    for high in range(top, 0, -size):
        yield IdRange(max(0, high - size), high)


def ids_holding(condition: BaseCondition, asking: Asking, id_range: IdRange) -> Ids | None:
    """The messages of a range for which the condition holds; None where they have to be parsed."""
    if has_many_values(condition):  # one of them has to pass
        parts = [ids_holding(part, asking, id_range) for part in in_parts(condition)]
        known = [part for part in parts if part is not None]
        return np.unique(np.concatenate(known)) if len(known) == len(parts) else None
    if id_range.size <= _FEW:
        asking = replace(asking, within=id_range)
    answer = answer_to(condition, asking)
    return None if answer.to_parse is not None else ids_of_answer(answer, asking.session, id_range)


def candidates(condition: BaseCondition, asking: Asking, id_range: IdRange) -> Ids:
    """The messages of a range of ids for which a condition may hold that SQL alone can't tell."""
    return ids_of_answer(answer_to(condition, asking), asking.session, id_range)


def parsed_for(
    condition: BaseCondition, asking: Asking, ids: Sequence[int]
) -> Iterator[tuple[int, MessageView]]:
    """Messages, with their ids, as far as a condition that SQL alone can't tell looks at them."""
    answer = answer_to(condition, asking)
    if answer.to_parse == "all":
        for message in stored_messages(asking.session, iter(ids)):
            yield message.id, message
    elif answer.to_parse == "header":
        yield from _headers(answer, asking.session, ids)
    else:
        for message_id, octets in octets_of_messages(asking.session, ids):
            yield message_id, parse_message(octets)


#: What a message says that says nothing.
_NOTHING = parse_header(b"")


def _headers(
    answer: Answer, session: Session, ids: Sequence[int]
) -> Iterator[tuple[int, MessageView]]:
    """Messages read as far as their headers; those without the field that is asked for, as empty.

    To read a header takes much longer than to see that a name is nowhere in it.
    """
    name = answer.header_field
    for message_id, octets in headers_of_messages(session, ids):
        there = name.encode() in octets.lower()
        yield message_id, parse_header(octets, name or None) if there else _NOTHING


def ids_of_answer(answer: Answer, session: Session, id_range: IdRange) -> Ids:
    """The messages of a range of ids for which an answer that needs no parsing is true."""
    if answer.listed is not None:
        first, end = np.searchsorted(answer.listed, (id_range.low + 1, id_range.high + 1))
        return answer.listed[first:end]
    parameters = {"low": id_range.low, "high": id_range.high, **answer.parameters}
    if answer.narrowing is not None:
        parameters["narrowing"] = answer.narrowing
    passes = answer.passes
    if passes is None:
        return listed_numbers(session, _LISTED.format(_select(answer)), parameters)
    rows = driver(session).execute(_select(answer), parameters)
    return np.fromiter((key for key, *texts in rows if passes(tuple(texts))), np.int64)


def _select(answer: Answer) -> str:
    if answer.ids:
        return answer.ids
    source, key = SOURCES[answer.source]
    id_range = f"{key} > :low AND {key} <= :high"
    if answer.narrowing is not None:
        source = f"{may_hold(':narrowing')} AS g CROSS JOIN {source}"
        id_range = f"{key} = g.rowid"
    columns = ", ".join((key, *answer.looks_at))
    return f"SELECT {columns} FROM {source} WHERE {id_range} AND {answer.where}"
