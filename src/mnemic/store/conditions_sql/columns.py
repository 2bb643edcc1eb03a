"""Answers from the columns of ``message``: size, dates, kind, importance, flags, whereabouts."""

from collections.abc import Iterable
from datetime import date, datetime, time, timedelta, tzinfo
from typing import Any

from sqlmodel import select

from mnemic.core.canonical import canonical_address
from mnemic.core.fields.age import AgeCondition, duration
from mnemic.core.fields.dates import DateCondition
from mnemic.core.fields.flags import FlagCondition
from mnemic.core.fields.kind import KindCondition
from mnemic.core.fields.priority import PriorityCondition
from mnemic.core.fields.size import SizeCondition, octets
from mnemic.core.fields.whereabouts import WhereaboutsCondition
from mnemic.core.text.folding import fold
from mnemic.store.conditions_sql.answer import Answer, Asking, named
from mnemic.store.engine.tables import LabelRow
from mnemic.store.mail.folders import folder_paths
from mnemic.store.owner.accounts import list_accounts

__all__ = ["age", "day", "flag", "kind", "priority", "size", "whereabouts"]


def _any_of(expressions: Iterable[str], parameters: dict[str, Any] | None = None) -> Answer:
    return Answer(f"({' OR '.join(expressions)})", parameters=parameters or {})


def _is_one_of(column: str, values: Iterable[Any]) -> Answer:
    parameters = named(values)
    listed = ", ".join(f":{name}" for name in parameters)
    return Answer(f"m.{column} IN ({listed})", parameters=parameters)


def size(condition: SizeCondition, asking: Asking) -> Answer:
    """Exact."""
    del asking
    sign = ">" if condition.test == "over" else "<"
    return _any_of(f"m.size {sign} {octets(value)}" for value in condition.values)


def age(condition: AgeCondition, asking: Asking) -> Answer:
    """Exact: the older, the earlier received."""
    now = asking.circumstances.now
    sign = "<" if condition.test == "over" else ">"
    parameters = {}
    for name, value in named(condition.values).items():
        try:
            parameters[name] = (now - duration(value)).timestamp()
        except OverflowError:  # before the first day that there is
            parameters[name] = float("-inf")
    return _any_of((f"m.received_at {sign} :{name}" for name in parameters), parameters)


def day(condition: DateCondition, asking: Asking) -> Answer:
    """Exact for the day of receipt; the Date field stands in no table."""
    if condition.field == "sent":
        return Answer("1", to_parse="header", header_field="date")
    return _any_of(_on_day(condition.test, value, asking.zone) for value in condition.values)


def _on_day(test: str, value: str, zone: tzinfo) -> str:
    """SQL that is true of what was received before, after or on a calendar day."""
    wanted = date.fromisoformat(value)

    def start(day: date) -> int:
        return int(datetime.combine(day, time(), zone).timestamp())

    before = f"m.received_at < {start(wanted)}"
    # After the last day that there is, there is none.
    last = wanted == date.max
    after = "0" if last else f"m.received_at >= {start(wanted + timedelta(days=1))}"
    return {"before": before, "after": after, "on": f"NOT ({before} OR {after})"}[test]


def kind(condition: KindCondition, asking: Asking) -> Answer:
    """Exact."""
    del asking
    return _is_one_of("kind", condition.values)


def priority(condition: PriorityCondition, asking: Asking) -> Answer:
    """Exact."""
    del asking
    return _is_one_of("importance", condition.values)


def flag(condition: FlagCondition, asking: Asking) -> Answer:
    """Exact."""
    del asking
    return _is_one_of(condition.field, map(int, condition.values))


def whereabouts(condition: WhereaboutsCondition, asking: Asking) -> Answer:
    """Exact."""
    session = asking.session
    if condition.field == "account":
        addresses = set(map(canonical_address, condition.values))
        accounts = list_accounts(session)
        return _is_one_of(
            "account_id",
            [account.id for account in accounts if canonical_address(account.address) in addresses],
        )
    names = set(map(fold, condition.values))
    if condition.field == "folder":
        paths = folder_paths(session)
        return _is_one_of("folder_id", [key for key, path in paths.items() if fold(path) in names])
    labels = session.exec(select(LabelRow.id, LabelRow.name)).all()
    bearing = ", ".join(str(key) for key, name in labels if fold(name) in names)
    return Answer(
        ids=f"SELECT message_id FROM message_label WHERE label_id IN ({bearing})"
        " AND message_id > :low AND message_id <= :high"
    )
