"""Finding stored mail by a test of the rule document, with SQL alone.

The answers of the conditions (``store.conditions_sql``) are put together; only exact ones will do.
A property test holds what is found equal to what the core takes.
"""

import re
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import tzinfo
from typing import Any, assert_never

import numpy as np
from sqlmodel import Session

from mnemic.core.fields import BaseCondition
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup, conditions_in
from mnemic.store.conditions_sql import Answer, Asking, NotSearchableError, answer_to
from mnemic.store.conditions_sql.answer import SOURCES
from mnemic.store.conditions_sql.ids import IdRange, Ids, spans
from mnemic.store.engine.driver import listed_numbers
from mnemic.store.engine.reader_cache import ReadingSession
from mnemic.store.engine.sql import Statement
from mnemic.store.engine.tables import MessageRow
from mnemic.store.mail.folders import folder_with_role
from mnemic.store.mail.listing import rows_of
from mnemic.store.mail.message_states import states_of_messages
from mnemic.store.mail.trigram_index import may_hold
from mnemic.store.search.content_masks import ContentMasks, how_many

__all__ = ["Found", "NotSearchableError", "find_first", "find_messages", "ids_found"]

#: Parameters of an answer.
_PARAMETER = re.compile(r":(p[0-9]+)\b")

#: All ids there can be (SQLite's are signed 64-bit numbers).
_ALL = {"low": -(2**63), "high": 2**63 - 1}

#: Messages that are looked at first, newest first: enough where many are found.
_FIRST_STEP = 256

#: Messages that are looked at next; then more and more.
_NEXT_STEP = 1_024

#: Messages that are looked at between two looks at who still waits: each asks the index anew.
_SPAN = 131_072

#: Seconds to find all, that whoever waits for the first rows does not notice; and to find a page.
_AT_ONCE, _SOON = 0.01, 0.02


@dataclass(frozen=True, slots=True)
class Found:
    """A page of what was found, newest first, and how many there are; at least, if not whole."""

    rows: list[MessageRow]
    total: int
    whole: bool = True


@dataclass
class _Writer:
    """Writes a test as an SQL expression over ``m`` (message) and ``f`` (message_folded)."""

    asking: Asking
    parameters: dict[str, Any] = field(default_factory=lambda: dict(_ALL))
    folded: bool = False  # whether the expression looks at folded texts
    others: bool = False  # whether it looks at anything else
    _answers: dict[BaseCondition, Answer] = field(default_factory=dict)

    def parameter(self, value: Any) -> str:
        """The name of a parameter that has the value."""
        known = next(
            (name for name, known_value in self.parameters.items() if known_value == value), None
        )
        name = known or f"v{len(self.parameters)}"
        self.parameters[name] = value
        return f":{name}"

    def expression(self, test: AnyTest) -> str:
        match test:
            case AllGroup():
                return f"({' AND '.join(map(self.expression, test.all))})"
            case AnyGroup():
                return f"({' OR '.join(map(self.expression, test.any))})"
            case NotGroup():
                return f"(NOT {self.expression(test.not_)})"
            case Always():
                return "1"
            case BaseCondition():
                return self._condition(self._answer(test))
            case _:
                assert_never(test)

    def narrowing(self, test: AnyTest) -> str | None:
        """A query of the trigram index that all messages that pass also pass, where there is one.

        Where something is turned round, or whatever else, nothing narrows.
        """
        match test:
            case AllGroup():
                parts = [self.narrowing(inner) for inner in test.all]
                known = [part for part in parts if part is not None]
                return f"({' AND '.join(known)})" if known else None
            case AnyGroup():
                parts = [self.narrowing(inner) for inner in test.any]
                queries = list(dict.fromkeys(part for part in parts if part is not None))
                return None if None in parts else f"({' OR '.join(queries)})"
            case NotGroup() | Always():
                return None
            case BaseCondition():
                return self._answer(test).narrowing
            case _:
                assert_never(test)

    def _answer(self, condition: BaseCondition) -> Answer:
        answer = self._answers.get(condition)
        if answer is None:
            answer = self._answers[condition] = answer_to(condition, self.asking)
        if not answer.exact:
            refusal = f"“{condition.test}” of “{condition.field}” can’t be searched for"
            raise NotSearchableError(refusal)
        return answer

    def _condition(self, answer: Answer) -> str:
        alone = answer.source == "f" and not answer.ids
        self.folded, self.others = self.folded or answer.source == "f", self.others or not alone
        sql = f"m.id IN ({answer.ids})" if answer.ids else answer.where
        return _PARAMETER.sub(lambda name: self.parameter(answer.parameters[name[1]]), sql)


@dataclass(frozen=True, slots=True)
class _Query:
    """A test as SQL: ``key`` is what the message's id is called in the source that comes first.

    ``narrowing`` is a query of the trigram index that all that pass also pass, where there is one.
    """

    source: str
    key: str
    where: str
    parameters: dict[str, Any]
    narrowing: str | None

    def ids(self, columns: str, more: str, **parameters: Any) -> Statement:
        """SQL for the messages that pass, and for which more SQL is true."""
        sql = f"SELECT {columns} FROM {self.source} WHERE {self.where} AND {more}"
        return Statement(sql, self.parameters | parameters)


def _query(session: Session, test: AnyTest, zone: tzinfo, *, listed: bool = False) -> _Query:
    """Over messages that the trigram index narrows down to, or over those ``listed`` in JSON.

    Raises NotSearchableError where SQL can't tell.
    """
    writer = _Writer(Asking(session, zone))
    where = writer.expression(test)
    narrowing = writer.narrowing(test)
    (message, _), (folded, _) = SOURCES["m"], SOURCES["f"]
    with_folded = f" CROSS JOIN {folded} ON f.message_id = m.id" if writer.folded else ""
    if listed:
        here = "json_each(:listed) AS l CROSS JOIN"
        if writer.folded and not writer.others:  # a look-up less for each message
            source, key = f"{here} {folded} ON f.message_id = l.value", "f.message_id"
        else:
            source, key = f"{here} {message} ON m.id = l.value{with_folded}", "m.id"
        return _Query(source, key, where, writer.parameters, narrowing)
    if narrowing is None:
        return _Query(f"{message}{with_folded}", "m.id", where, writer.parameters, narrowing)
    source = (
        f"{may_hold(writer.parameter(narrowing))} AS g"
        f" CROSS JOIN {folded} ON f.message_id = g.rowid CROSS JOIN {message} ON m.id = g.rowid"
    )
    return _Query(source, "g.rowid", where, writer.parameters, narrowing)


def ids_found(session: Session, test: AnyTest, zone: tzinfo, columns: str = "m.id") -> Statement:
    """SQL for the messages that pass the test, erased ones left out, in no order.

    Raises NotSearchableError where SQL can't tell.
    """
    erased = folder_with_role(session, "erased")
    return _query(session, test, zone).ids(columns, "m.folder_id <> :erased", erased=erased)


def find_messages(
    session: Session,
    test: AnyTest,
    zone: tzinfo,
    *,
    offset: int = 0,
    limit: int = 50,
    check: Callable[[], None] = lambda: None,
) -> Found:
    """The messages that pass the test, newest first, from the ``offset``-th on, and their number.

    Calendar days are those of ``zone``. ``check`` is called now and then; what it raises ends the
    search. Raises NotSearchableError where SQL can't tell.
    """
    if isinstance(session, ReadingSession) and _is_of_content(test):
        ids = _of_content(session, test, zone, check)
    else:
        statement = ids_found(session, test, zone, "group_concat(m.id, ' ')")
        ids = listed_numbers(session, statement.sql, statement.parameters)
    page = states_of_messages(session).newest_first(ids, offset + limit)[offset:]
    return Found(rows_of(session, page.tolist()), ids.size)


def find_first(
    session: ReadingSession,
    test: AnyTest,
    zone: tzinfo,
    *,
    limit: int = 50,
    check: Callable[[], None] = lambda: None,
) -> Found:
    """The newest messages that pass the test, soon; they are counted where that takes no longer.

    Otherwise as ``find_messages``. Where to look for all of them takes its time, those that were
    found until then are enough, and may be fewer than ``limit``.
    """
    if _is_known(session, test):
        return find_messages(session, test, zone, limit=limit, check=check)
    walk = _Walk(session, test, zone)
    walk.go_on(_FIRST_STEP)
    if walk.seconds_for(limit) > _SOON:
        walk.narrow()
    while walk.left and not walk.has_enough(limit):
        check()
        walk.go_on(max(_NEXT_STEP, walk.looked))
    return walk.first(limit)


class _Walk:
    """Looks at messages one after the other, newest first."""

    def __init__(self, session: ReadingSession, test: AnyTest, zone: tzinfo) -> None:
        self._session = session
        self._query = _query(session, test, zone, listed=True)
        self._states = states_of_messages(session)
        folder_of, erased = self._states.folder_of, folder_with_role(session, "erased")
        self._unseen = (folder_of > 0) & (folder_of != erased)
        self.looked, self._seconds = 0, 0.0
        self.found: Ids = np.zeros(0, np.int64)

    @property
    def left(self) -> int:
        """How many it has not looked at."""
        return how_many(self._unseen)

    def narrow(self) -> None:
        """Go on among those alone that the trigram index does not rule out."""
        if self._query.narrowing is None:
            return
        may_pass = np.zeros_like(self._unseen)
        may_pass[_not_ruled_out(self._session, self._query.narrowing, self._states.top)] = True
        self._unseen &= may_pass

    def go_on(self, messages: int) -> None:
        """Look at so many more, as far as there are any."""
        begun = time.perf_counter()
        step = self._states.newest_first(np.flatnonzero(self._unseen), messages)
        if not step.size:
            return
        here = {"listed": str(step.tolist()), "low": int(step.min()) - 1, "high": int(step.max())}
        statement = self._query.ids(f"group_concat({self._query.key}, ' ')", "1", **here)
        passing = listed_numbers(self._session, statement.sql, statement.parameters)
        self.found = np.concatenate([self.found, passing])
        self._unseen[step] = False
        self.looked += step.size
        self._seconds += time.perf_counter() - begun

    def seconds_for(self, limit: int) -> float:
        """How long it may take to find a page, as those looked at so far tell."""
        missing = max(0, limit - self.found.size)
        messages = min(self.left, missing * self.looked / (self.found.size + 1))
        return messages * self._each

    @property
    def _each(self) -> float:
        return self._seconds / max(self.looked, 1)

    def has_enough(self, limit: int) -> bool:
        """Whether a page was found, or a part of it in the time that anybody waits for it.

        Where the rest takes no time to speak of, only all of them are enough.
        """
        if self.left * self._each <= _AT_ONCE:
            return False
        return self.found.size >= (limit if self._seconds <= _SOON else 1)

    def first(self, limit: int) -> Found:
        """The first page of what was found."""
        page = self._states.newest_first(self.found, limit)
        return Found(rows_of(self._session, page.tolist()), self.found.size, not self.left)


def _is_known(session: ReadingSession, test: AnyTest) -> bool:
    top = states_of_messages(session).top
    masks = session.shared.of(ContentMasks)
    return _is_of_content(test) and masks.is_known(test, IdRange(0, top))


def _not_ruled_out(session: ReadingSession, narrowing: str, top: int) -> Ids:
    """The messages up to an id that pass a query of the trigram index, or are not in it yet."""
    sql = f"SELECT group_concat(rowid, ' ') FROM {may_hold(':narrowing')}"
    return listed_numbers(session, sql, {"narrowing": narrowing, "low": 0, "high": top})


def _is_of_content(test: AnyTest) -> bool:
    return all(condition.of_content for condition in conditions_in(test))


def _of_content(
    session: ReadingSession, test: AnyTest, zone: tzinfo, check: Callable[[], None]
) -> Ids:
    """The messages whose octets pass, erased ones left out: what was found before is known."""
    states = states_of_messages(session)
    query = _query(session, test, zone)

    def find(missing: IdRange) -> Ids:
        in_range = f"{query.key} > :low AND {query.key} <= :high"
        statement = query.ids(f"group_concat({query.key}, ' ')", in_range)
        parameters = statement.parameters | {"low": missing.low, "high": missing.high}
        return listed_numbers(session, statement.sql, parameters)

    masks, mask = session.shared.of(ContentMasks), np.zeros(0, np.bool_)
    for id_range in spans(states.top, _SPAN):
        check()
        mask = masks.of(test, IdRange(id_range.low, states.top), find)
    folder_of = states.folder_of[1:]
    shown = mask & (folder_of > 0) & (folder_of != folder_with_role(session, "erased"))
    return np.flatnonzero(shown) + 1
