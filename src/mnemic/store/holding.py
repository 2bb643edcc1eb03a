"""For which messages a condition holds, asked of the store: an index narrows, the core decides.

A condition on addresses is tried once on each address there is, one on texts on the candidates of
the trigram index. What the store can't tell (header fields, types of attachments, the Date field)
is left to whoever parses the messages.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta, tzinfo
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session, select

from mnemic.core import Circumstances, Envelope, Given
from mnemic.core.addresses import Address
from mnemic.core.canonical import canonical_address, without_tag
from mnemic.core.conditions import AnyCondition
from mnemic.core.conditions.addresses import AddressCondition
from mnemic.core.conditions.choices import (
    AddressedCondition,
    ContactCondition,
    FlagCondition,
    KindCondition,
    PlaceCondition,
    PriorityCondition,
)
from mnemic.core.conditions.measures import (
    AgeCondition,
    DateCondition,
    SizeCondition,
    duration,
    octets,
)
from mnemic.core.conditions.texts import ListedTextCondition, TextCondition, TextTestCondition
from mnemic.core.folding import fold
from mnemic.store.accounts import list_accounts
from mnemic.store.addresses import ENVELOPE, home_of
from mnemic.store.folders import folder_paths
from mnemic.store.many_values import has_many_values, in_parts
from mnemic.store.tables import LabelRow, driver
from mnemic.store.trigrams import trigram_query

__all__ = ["Holding", "Ids", "Span"]

Ids = NDArray[np.int64]

_RECIPIENTS = ("to", "cc", "bcc", "delivered_to", "x_original_to", ENVELOPE)
_OPEN = ("to", "cc", "bcc")

#: The folded columns of a field. What several values are joined in holds one a line.
_FOLDED = {
    "subject": ("subject",),
    "body": ("body",),
    "text": ("subject", "body"),
    "list": ("lists",),
    "attachment": ("attachments",),
}

#: The texts of a field as the message has them; for tests that folding would change.
_PLAIN = {
    "subject": ("m.subject",),
    "body": ("t.body",),
    "text": ("m.subject", "t.body"),
    "list": ("m.list_id",),
}


class Span(NamedTuple):
    """The messages with ids above ``low``, up to and with ``high``."""

    low: int
    high: int


@dataclass(frozen=True, slots=True)
class _AddressView:
    """One address as the only one of a message, for conditions on addresses to be tried on."""

    addresses: dict[str, tuple[Address, ...]]
    envelope: Envelope
    cache: dict[Any, tuple[str, ...]]


def _ids(rows: Iterable[tuple[Any, ...]]) -> Ids:
    return np.fromiter((row[0] for row in rows), np.int64)


def _listed(values: Iterable[int]) -> str:
    return ", ".join(str(int(each)) for each in values)


class Holding:
    """Answers, condition by condition, within one transaction."""

    def __init__(self, session: Session, circumstances: Circumstances) -> None:
        self._session, self._circumstances = session, circumstances

    def ids(self, condition: AnyCondition, span: Span) -> Ids | None:
        """The messages of a span for which the condition holds; None where the store can't tell."""
        if has_many_values(condition):
            return self._ids_in_parts(condition, span)
        for kind, answer in _ANSWERS.items():
            if isinstance(condition, kind):
                return answer(self, condition, span)
        return None

    def _ids_in_parts(self, condition: AnyCondition, span: Span) -> Ids | None:
        """The same, a part of the values at a time: one of them has to pass."""
        found = [self.ids(part, span) for part in in_parts(condition)]
        told = [each for each in found if each is not None]
        return np.unique(np.concatenate(told)) if len(told) == len(found) else None

    def candidates(self, condition: AnyCondition, span: Span) -> Ids:
        """The messages of a span for which a condition may hold that ``ids`` can't tell."""
        attached = isinstance(condition, ListedTextCondition) and condition.field != "list"
        where = "m.attachments > 0" if attached else "1"
        return self.where(where, {}, span)

    def _rows(self, sql: str, parameters: dict[str, Any], span: Span) -> Iterable[tuple[Any, ...]]:
        bound = {"low": span.low, "high": span.high, **parameters}
        return driver(self._session).execute(sql, bound)

    def where(self, expression: str, parameters: dict[str, Any], span: Span) -> Ids:
        """The messages of a span for which SQL over ``m`` (message) is true."""
        sql = f"SELECT m.id FROM message AS m WHERE m.id > :low AND m.id <= :high AND {expression}"
        return _ids(self._rows(sql, parameters, span))

    # Addresses.

    def _addresses(self, condition: AddressCondition, span: Span) -> Ids:
        fields = _RECIPIENTS if condition.field == "recipient" else (condition.field,)
        written, enveloped = self._passing(condition)
        headers = [each for each in fields if each != ENVELOPE]
        found = [self._bearing(headers, written, span)]
        if ENVELOPE in fields:
            found.append(self._bearing([ENVELOPE], enveloped, span))
        return np.concatenate(found)

    def _bearing(self, headers: list[str], addresses: list[int], span: Span) -> Ids:
        """The messages with one of the addresses in one of the header fields."""
        if not addresses:
            return np.empty(0, np.int64)
        named = ", ".join(f"'{each}'" for each in headers)
        sql = (
            "SELECT message_id FROM message_address INDEXED BY message_of_address"
            f" WHERE address_id IN ({_listed(addresses)}) AND header IN ({named})"
            " AND message_id > :low AND message_id <= :high"
        )
        return _ids(self._rows(sql, {}, span))

    def _passing(self, condition: AddressCondition) -> tuple[list[int], list[int]]:
        """The addresses that pass: as they stand in header fields, and in envelopes."""
        field: Any = "to" if condition.field == "recipient" else condition.field
        narrowed, parameters = _narrowed(condition)
        rows = driver(self._session).execute(
            f"SELECT id, name, local, domain FROM address WHERE {narrowed}", parameters
        )
        written, enveloped = [], []
        given = Given()
        for key, *said in rows:
            address = Address(*said)
            view: Any = _AddressView({field: (address,)}, Envelope(), {})
            if condition.holds(view, given):
                written.append(key)
            if condition.field == "recipient" and not address.name:
                view = _AddressView({}, Envelope(None, (address.address,)), {})
                if condition.holds(view, given):
                    enveloped.append(key)
        return written, enveloped

    def _mine(self) -> list[int]:
        me = self._circumstances.me
        rows = driver(self._session).execute("SELECT id, canonical FROM address")
        return [key for key, each in rows if each in me or without_tag(each) in me]

    def _addressed(self, condition: AddressedCondition, span: Span) -> Ids:
        mine = self._mine()
        found = [np.empty(0, np.int64)]
        if "to_me" in condition.values:
            found.append(self._bearing(["to"], mine, span))
        if "cc_me" in condition.values:
            found.append(self._bearing(["cc"], mine, span))
        if "not_me" in condition.values:
            everybody = self._bearing(list(_OPEN), mine, span)
            found.append(np.setdiff1d(self.where("1", {}, span), everybody))
        if "only_me" in condition.values:
            sql = (
                "SELECT ma.message_id FROM message_address AS ma JOIN address AS a"
                " ON a.id = ma.address_id WHERE ma.message_id > :low AND ma.message_id <= :high"
                " AND ma.header IN ('to', 'cc', 'bcc') GROUP BY ma.message_id"
                f" HAVING count(DISTINCT a.canonical) = 1 AND max(a.id IN ({_listed(mine)}))"
            )
            found.append(_ids(self._rows(sql, {}, span)))
        return np.concatenate(found)

    def _contacts(self, condition: ContactCondition, span: Span) -> Ids:
        found = [np.empty(0, np.int64)]
        if "first" in condition.values:
            found.append(self._first(span))
        if "known" in condition.values or "unknown" in condition.values:
            rows = driver(self._session).execute("SELECT id, canonical FROM address")
            contacts = self._circumstances.contacts
            known = self._bearing(["from"], [key for key, each in rows if each in contacts], span)
            if "known" in condition.values:
                found.append(known)
            if "unknown" in condition.values:
                found.append(np.setdiff1d(self.where("1", {}, span), known))
        return np.concatenate(found)

    def _first(self, span: Span) -> Ids:
        """The messages before which none of their senders had written."""
        sql = (
            "WITH written AS (SELECT DISTINCT a.canonical, m.id, m.received_at"
            " FROM message_address AS ma JOIN address AS a ON a.id = ma.address_id"
            " JOIN message AS m ON m.id = ma.message_id WHERE ma.header = 'from'),"
            " counted AS (SELECT id, row_number() OVER"
            " (PARTITION BY canonical ORDER BY received_at, id) AS so_far FROM written)"
            " SELECT id FROM counted WHERE id > :low AND id <= :high"
            " GROUP BY id HAVING max(so_far) = 1"
        )
        return _ids(self._rows(sql, {}, span))

    # Texts.

    def _texts(self, condition: TextTestCondition, span: Span) -> Ids | None:
        if getattr(condition, "test", "") == "exists":
            return self._exists(condition, span)
        if condition.is_exact or condition.test == "wildcard":
            return self._plain_texts(condition, span)
        columns = _FOLDED.get(condition.field)
        if columns is None:
            return None
        values = {f"p{number}": each for number, each in enumerate(condition.comparable_values)}
        held = " OR ".join(f"instr(f.{each}, :{p}) > 0" for each in columns for p in values)
        query = trigram_query(condition.comparable_values)
        if query is None:
            source = "message_folded AS f WHERE f.message_id > :low AND f.message_id <= :high"
        else:
            source = (
                "message_trigram AS t CROSS JOIN message_folded AS f ON f.message_id = t.rowid"
                " WHERE message_trigram MATCH :query AND t.rowid > :low AND t.rowid <= :high"
            )
        # A text that holds the value is all that "contains" asks for.
        looked_at = "" if condition.test == "contains" else "".join(f", f.{c}" for c in columns)
        sql = f"SELECT f.message_id{looked_at} FROM {source} AND ({held})"
        rows = self._rows(sql, {"query": query, **values}, span)
        if condition.test == "contains":
            return _ids(rows)
        if columns[0] in ("lists", "attachments"):
            return _passing_lines(condition, rows)
        return _passing_texts(condition, rows)

    def _plain_texts(self, condition: TextTestCondition, span: Span) -> Ids | None:
        columns = _PLAIN.get(condition.field)
        if columns is None:
            return None
        joined = "JOIN message_text AS t ON t.message_id = m.id" if "t.body" in columns else ""
        sql = (
            f"SELECT m.id, {', '.join(columns)} FROM message AS m {joined}"
            " WHERE m.id > :low AND m.id <= :high"
        )
        find, form = condition.find, condition.form
        return _ids(
            (row[0],)
            for row in self._rows(sql, {}, span)
            if any(each is not None and find(form(each)) is not None for each in row[1:])
        )

    def _exists(self, condition: TextTestCondition, span: Span) -> Ids | None:
        if condition.field == "list":
            return self.where("m.list_id IS NOT NULL", {}, span)
        if condition.field == "attachment":
            return self.where("m.attachments > 0", {}, span)
        return None

    # Measures and states.

    def _any_of(self, expressions: Iterable[str], parameters: dict[str, Any], span: Span) -> Ids:
        return self.where(f"({' OR '.join(expressions)})", parameters, span)

    def _sizes(self, condition: SizeCondition, span: Span) -> Ids:
        sign = ">" if condition.test == "over" else "<"
        return self._any_of([f"m.size {sign} {octets(v)}" for v in condition.values], {}, span)

    def _ages(self, condition: AgeCondition, span: Span) -> Ids:
        now = self._circumstances.now
        sign = "<" if condition.test == "over" else ">"  # the older, the earlier received
        parameters = {}
        for number, value in enumerate(condition.values):
            try:
                bound = (now - duration(value)).timestamp()
            except OverflowError:  # before the first day that there is
                bound = float("-inf")
            parameters[f"p{number}"] = bound
        written = [f"m.received_at {sign} :{each}" for each in parameters]
        return self._any_of(written, parameters, span)

    def _dates(self, condition: DateCondition, span: Span) -> Ids | None:
        if condition.field == "sent":
            return None

        zone = self._circumstances.timezone
        return self._any_of(
            [_on_day(condition.test, each, zone) for each in condition.values], {}, span
        )

    def _column(self, column: str, values: Iterable[Any], span: Span) -> Ids:
        parameters = {f"p{number}": value for number, value in enumerate(values)}
        named = ", ".join(f":{each}" for each in parameters)
        return self.where(f"m.{column} IN ({named})", parameters, span)

    def _places(self, condition: PlaceCondition, span: Span) -> Ids:
        session = self._session
        if condition.field == "account":
            keys = set(map(canonical_address, condition.values))
            accounts = list_accounts(session)
            ids = [each.id for each in accounts if canonical_address(each.address) in keys]
            return self._column("account_id", ids, span)
        wanted = set(map(fold, condition.values))
        if condition.field == "folder":
            found = [key for key, path in folder_paths(session).items() if fold(path) in wanted]
            return self._column("folder_id", found, span)
        labels = session.exec(select(LabelRow.id, LabelRow.name)).all()
        bearing = _listed(key for key, name in labels if key is not None and fold(name) in wanted)
        sql = (
            f"SELECT message_id FROM message_label WHERE label_id IN ({bearing})"
            " AND message_id > :low AND message_id <= :high"
        )
        return _ids(self._rows(sql, {}, span))

    def _kinds(self, condition: KindCondition, span: Span) -> Ids:
        return self._column("kind", condition.values, span)

    def _priorities(self, condition: PriorityCondition, span: Span) -> Ids:
        return self._column("importance", condition.values, span)

    def _flags(self, condition: FlagCondition, span: Span) -> Ids:
        return self._column(condition.field, map(int, condition.values), span)


def _on_day(test: str, value: str, zone: tzinfo) -> str:
    """SQL that is true of what was received before, after or on a calendar day."""
    day = date.fromisoformat(value)

    def start(day: date) -> int:
        return int(datetime.combine(day, time(), zone).timestamp())

    before = f"m.received_at < {start(day)}"
    # After the last day that there is, there is none.
    after = "0" if day == date.max else f"m.received_at >= {start(day + timedelta(days=1))}"
    return {"before": before, "after": after, "on": f"NOT ({before} OR {after})"}[test]


def _narrowed(condition: AddressCondition) -> tuple[str, dict[str, str]]:
    """SQL that is true of every address that passes, and of few others."""
    piece_of_local = condition.part in ("user", "tag")  # folded alone it may read otherwise
    if condition.is_exact or condition.test == "wildcard" or piece_of_local:
        return "1", {}
    values = condition.comparable_values
    parameters = {f"p{number}": value for number, value in enumerate(values)}
    if condition.part == "domain" and condition.test in ("is", "under"):
        parameters = {name: home_of(value) for name, value in parameters.items()}
        pieces = [f"home = :{each}" for each in parameters]
        if condition.test == "under":  # "/" comes right after "." in every text
            pieces += [f"(home > :{each} || '.' AND home < :{each} || '/')" for each in parameters]
    elif condition.part == "address" and condition.test == "is":
        pieces = [f"canonical = :{each}" for each in parameters]
    else:
        pieces = [f"instr(folded, :{each}) > 0" for each in parameters]
    return " OR ".join(pieces), parameters


def _passing_texts(condition: TextTestCondition, rows: Iterable[tuple[Any, ...]]) -> Ids:
    find = condition.find
    return _ids((row[0],) for row in rows if any(find(text) is not None for text in row[1:]))


def _passing_lines(condition: TextTestCondition, rows: Iterable[tuple[Any, ...]]) -> Ids:
    find = condition.find
    return _ids((key,) for key, text in rows if any(find(line) for line in text.split("\n")))


_Answer = Callable[[Holding, Any, Span], Ids | None]
_ANSWERS: dict[type | Any, _Answer] = {
    AddressCondition: Holding._addresses,
    TextCondition: Holding._texts,
    ListedTextCondition: Holding._texts,
    SizeCondition: Holding._sizes,
    AgeCondition: Holding._ages,
    DateCondition: Holding._dates,
    KindCondition: Holding._kinds,
    PriorityCondition: Holding._priorities,
    FlagCondition: Holding._flags,
    PlaceCondition: Holding._places,
    AddressedCondition: Holding._addressed,
    ContactCondition: Holding._contacts,
}
