"""Finding stored mail by a test of the rule document, with SQL alone.

The answers of the conditions (``store.conditions_sql``) are put together; only exact ones will do.
A property test holds what is found equal to what the core takes.
"""

import re
from dataclasses import dataclass, field
from datetime import tzinfo
from typing import Any, assert_never

from sqlalchemy import text
from sqlmodel import Session

from mnemic.core.fields import BaseCondition
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup
from mnemic.store.conditions_sql import Answer, Asking, NotSearchableError, answer_to
from mnemic.store.conditions_sql.answer import SOURCES
from mnemic.store.engine.sql import Statement
from mnemic.store.engine.tables import MessageRow
from mnemic.store.mail.folders import folder_with_role
from mnemic.store.mail.listing import rows_of

__all__ = ["Found", "NotSearchableError", "find_messages", "ids_found"]

#: Parameters of an answer.
_PARAMETER = re.compile(r":(p[0-9]+)\b")

#: All ids there can be (SQLite's are signed 64-bit numbers).
_ALL = {"low": -(2**63), "high": 2**63 - 1}


@dataclass(frozen=True, slots=True)
class Found:
    """A page of what was found, newest first, and how many there are."""

    rows: list[MessageRow]
    total: int


@dataclass
class _Writer:
    """Writes a test as an SQL expression over ``m`` (message) and ``f`` (message_folded)."""

    asking: Asking
    parameters: dict[str, Any] = field(default_factory=lambda: dict(_ALL))
    folded: bool = False  # whether the expression looks at folded texts
    _answers: dict[BaseCondition, Answer] = field(default_factory=dict)

    def parameter(self, value: Any) -> str:
        """The name of a parameter that has the value."""
        known = next((name for name, each in self.parameters.items() if each == value), None)
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
                parts = [self.narrowing(each) for each in test.all]
                known = [part for part in parts if part is not None]
                return f"({' AND '.join(known)})" if known else None
            case AnyGroup():
                parts = [self.narrowing(each) for each in test.any]
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
        self.folded = self.folded or answer.source == "f"
        sql = f"m.id IN ({answer.ids})" if answer.ids else answer.where
        return _PARAMETER.sub(lambda name: self.parameter(answer.parameters[name[1]]), sql)


def ids_found(session: Session, test: AnyTest, zone: tzinfo, columns: str = "m.id") -> Statement:
    """SQL for the messages that pass the test, erased ones left out, in no order.

    Raises NotSearchableError where SQL can't tell.
    """
    writer = _Writer(Asking(session, zone))
    expression = writer.expression(test)
    narrowing = writer.narrowing(test)
    erased = writer.parameter(folder_with_role(session, "erased"))
    message, _ = SOURCES["m"]
    folded, _ = SOURCES["f"]
    if narrowing is not None:
        source = (
            f"message_trigram AS g CROSS JOIN {folded} ON f.message_id = g.rowid"
            f" CROSS JOIN {message} ON m.id = g.rowid"
        )
        expression = f"message_trigram MATCH {writer.parameter(narrowing)} AND {expression}"
    elif writer.folded:
        source = f"{message} JOIN {folded} ON f.message_id = m.id"
    else:
        source = message
    where = f"{expression} AND m.folder_id <> {erased}"
    return Statement(f"SELECT {columns} FROM {source} WHERE {where}", writer.parameters)


def find_messages(
    session: Session, test: AnyTest, zone: tzinfo, *, offset: int = 0, limit: int = 50
) -> Found:
    """The messages that pass the test, newest first, from the ``offset``-th on, and their number.

    Calendar days are those of ``zone``. Raises NotSearchableError where SQL can't tell.
    """
    found = ids_found(session, test, zone, "m.id AS id, m.received_at AS at")
    page = session.connection().execute(
        text(
            f"WITH found AS MATERIALIZED ({found.sql})"
            " SELECT n.total, p.id FROM (SELECT count(*) AS total FROM found) AS n"
            " LEFT JOIN (SELECT id, at FROM found ORDER BY at DESC, id DESC"
            " LIMIT :limit OFFSET :offset) AS p ORDER BY p.at DESC, p.id DESC"
        ),
        {**found.parameters, "limit": limit, "offset": offset},
    )
    answers: list[Any] = list(page)
    return Found(rows_of(session, [each for _, each in answers if each is not None]), answers[0][0])
