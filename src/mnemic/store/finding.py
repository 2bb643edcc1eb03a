"""Finding stored mail by a test of the rule document, with SQL alone.

The answer is that of the core: texts are compared in the folded form that the core compares
(``store.folded``), and a property test holds the two equal. Where words are long enough a trigram
index narrows the candidates; ``instr`` over the folded texts decides.
"""

from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta, tzinfo
from typing import Any

from sqlalchemy import text
from sqlmodel import Session, select

from mnemic.core import MnemicError
from mnemic.core.canonical import canonical_address
from mnemic.core.conditions import AnyCondition
from mnemic.core.conditions.addresses import AddressCondition
from mnemic.core.conditions.choices import (
    FlagCondition,
    KindCondition,
    PlaceCondition,
    PriorityCondition,
)
from mnemic.core.conditions.measures import DateCondition
from mnemic.core.conditions.texts import ListedTextCondition, TextCondition, TextTestCondition
from mnemic.core.folding import fold
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup
from mnemic.store.accounts import list_accounts
from mnemic.store.folders import folder_paths, folder_with_role
from mnemic.store.journal import Statement
from mnemic.store.mailbox import rows_of
from mnemic.store.tables import LabelRow, MessageRow
from mnemic.store.trigrams import trigram_query

__all__ = ["Found", "NotSearchableError", "find_messages", "ids_found"]


class NotSearchableError(MnemicError):
    """A test that SQL alone can't answer."""


@dataclass(frozen=True, slots=True)
class Found:
    """A page of what was found, newest first, and how many there are."""

    rows: list[MessageRow]
    total: int


def _columns(condition: TextTestCondition) -> tuple[str, ...]:
    """The folded columns that hold just what the condition looks at."""
    match condition:
        case TextCondition(field="text"):
            return ("subject", "body")
        case TextCondition(field=name):
            return (name,)
        case AddressCondition(field="from", part="any"):
            return ("senders",)
        case AddressCondition(field="recipient", part="any"):
            return ("recipients",)
        case ListedTextCondition(field="list"):
            return ("lists",)
        case ListedTextCondition(field="attachment"):
            return ("attachments",)
    raise NotSearchableError(f"“{getattr(condition, 'field', '')}” can’t be searched for")


def _narrowing(test: AnyTest) -> str | None:
    """An FTS5 query that all messages that pass also pass; None where there is none."""
    match test:
        case AllGroup():
            known = [each for each in map(_narrowing, test.all) if each is not None]
            return f"({' AND '.join(known)})" if known else None
        case AnyGroup():
            parts = [_narrowing(each) for each in test.any]
            named = list(dict.fromkeys(each for each in parts if each is not None))
            return None if None in parts else f"({' OR '.join(named)})"
        case TextTestCondition() if test.test == "contains" and not test.case:
            return trigram_query(test.comparable_values)
    return None


@dataclass
class _Writer:
    """Writes a test as an SQL expression over ``m`` (message) and ``f`` (message_folded)."""

    session: Session
    zone: tzinfo
    parameters: dict[str, Any] = field(default_factory=dict)
    folded: bool = False  # whether the expression looks at folded texts

    def parameter(self, value: Any) -> str:
        known = next((name for name, each in self.parameters.items() if each == value), None)
        name = known or f"p{len(self.parameters)}"
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
        return self._condition(test)

    def _condition(self, test: AnyCondition) -> str:
        match test:
            case ListedTextCondition(test="exists"):
                self.folded = self.folded or test.field == "list"
                return "f.lists <> ''" if test.field == "list" else "m.attachments > 0"
            case TextTestCondition():
                return self._texts(test)
            case DateCondition(field="received"):
                return self._any(map(self._day(test.test), map(date.fromisoformat, test.values)))
            case KindCondition():
                return self._is_one_of("m.kind", test.values)
            case PriorityCondition():
                return self._is_one_of("m.importance", test.values)
            case FlagCondition():
                return self._is_one_of(f"m.{test.field}", [int(each) for each in test.values])
            case PlaceCondition():
                return self._place(test)
        raise NotSearchableError(f"“{getattr(test, 'field', '')}” can’t be searched for")

    def _any(self, expressions: Any) -> str:
        return f"({' OR '.join(expressions)})"

    def _texts(self, condition: TextTestCondition) -> str:
        if condition.test != "contains" or condition.case:
            raise NotSearchableError(f"“{condition.test}” can’t be searched for")
        self.folded = True
        return self._any(
            f"instr(f.{column}, {self.parameter(value)}) > 0"
            for column in _columns(condition)
            for value in condition.comparable_values
        )

    def _is_one_of(self, column: str, values: Any) -> str:
        named = [self.parameter(each) for each in values]
        return f"{column} IN ({', '.join(named)})" if named else "0"

    def _day(self, test: str) -> Any:
        def start(day: date) -> str:
            moment = datetime.combine(day, time(), self.zone)
            return self.parameter(int(moment.timestamp()))

        def write(day: date) -> str:
            before = f"m.received_at < {start(day)}"
            if test == "before":
                return before
            # After the last day that there is, there is none.
            last = day == date.max
            after = "0" if last else f"m.received_at >= {start(day + timedelta(days=1))}"
            return after if test == "after" else f"NOT ({before} OR {after})"

        return write

    def _place(self, condition: PlaceCondition) -> str:
        wanted = set(map(fold, condition.values))
        if condition.field == "folder":
            paths = folder_paths(self.session)
            return self._is_one_of(
                "m.folder_id", [k for k, p in paths.items() if fold(p) in wanted]
            )
        if condition.field == "account":
            keys = set(map(canonical_address, condition.values))
            accounts = list_accounts(self.session)
            ids = [each.id for each in accounts if canonical_address(each.address) in keys]
            return self._is_one_of("m.account_id", ids)
        labels = self.session.exec(select(LabelRow.id, LabelRow.name)).all()
        ids = [key for key, name in labels if key is not None and fold(name) in wanted]
        bearing = self._is_one_of("label_id", ids)
        return f"m.id IN (SELECT message_id FROM message_label WHERE {bearing})"


def ids_found(session: Session, test: AnyTest, zone: tzinfo, columns: str = "m.id") -> Statement:
    """SQL for the messages that pass the test, erased ones left out, in no order.

    Raises NotSearchableError where SQL can't tell.
    """
    writer = _Writer(session, zone)
    expression = writer.expression(test)
    narrowing = _narrowing(test)
    erased = writer.parameter(folder_with_role(session, "erased"))
    if narrowing is not None:
        source = (
            "message_trigram AS t CROSS JOIN message_folded AS f ON f.message_id = t.rowid"
            " CROSS JOIN message AS m ON m.id = t.rowid"
        )
        expression = f"message_trigram MATCH {writer.parameter(narrowing)} AND {expression}"
    elif writer.folded:
        source = "message AS m JOIN message_folded AS f ON f.message_id = m.id"
    else:
        source = "message AS m"
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
