"""Answers about people: addresses, how I am addressed, what the sender is to me.

A condition on addresses is tried once on each address there is.
"""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from mnemic.core import Envelope, Given
from mnemic.core.canonical import without_tag
from mnemic.core.fields.addressed import AddressedCondition
from mnemic.core.fields.addresses import AddressCondition
from mnemic.core.fields.contact import ContactCondition
from mnemic.core.message.addresses import Address
from mnemic.store.conditions_sql.answer import Answer, Asking, named
from mnemic.store.conditions_sql.texts import held_in
from mnemic.store.engine.driver import driver
from mnemic.store.mail.addresses import ENVELOPE, home_of
from mnemic.store.mail.first_messages import first_messages

__all__ = ["addressed", "addresses", "contact"]

_RECIPIENTS = ("to", "cc", "bcc", "delivered_to", "x_original_to", ENVELOPE)
_OPEN = ("to", "cc", "bcc")

_OF_MESSAGES = (
    "SELECT address_id FROM message_address WHERE message_id > :low AND message_id <= :high"
)

#: The folded columns that hold names and addresses, one a line.
_COLUMNS = {"from": "senders", "recipient": "recipients"}

_NOTHING_GIVEN = Given()


@dataclass(frozen=True, slots=True)
class _AddressView:
    """One address as the only one of a message, for conditions on addresses to be tried on."""

    addresses: dict[str, tuple[Address, ...]]
    envelope: Envelope
    cache: dict[Any, tuple[str, ...]]


def addresses(condition: AddressCondition, asking: Asking) -> Answer:
    """Exact."""
    column = _COLUMNS.get(condition.field)
    held = condition.part == "any" and condition.test == "contains" and not condition.case
    if column is not None and held:
        return held_in((column,), condition, asking)
    written, enveloped = _passing(condition, asking)
    if condition.field != "recipient":
        return Answer(ids=_bearing((condition.field,), written))
    headers = _bearing([recipient for recipient in _RECIPIENTS if recipient != ENVELOPE], written)
    return Answer(ids=f"{headers} UNION {_bearing((ENVELOPE,), enveloped)}")


def _bearing(headers: Any, addresses: list[int]) -> str:
    """The messages with one of the addresses in one of the header fields."""
    if not addresses:  # an index can't be asked for none
        return "SELECT 0 WHERE 0"
    fields = ", ".join(f"'{header}'" for header in headers)
    return (
        "SELECT message_id FROM message_address INDEXED BY message_of_address"
        f" WHERE address_id IN ({_listed(addresses)}) AND header IN ({fields})"
        " AND message_id > :low AND message_id <= :high"
    )


def _listed(ids: list[int]) -> str:
    return ", ".join(str(int(key)) for key in ids)


def _passing(condition: AddressCondition, asking: Asking) -> tuple[list[int], list[int]]:
    """The addresses that pass: as they stand in header fields, and in envelopes."""
    field: Any = "to" if condition.field == "recipient" else condition.field
    narrowed, parameters = _narrowed(condition)
    if asking.within is not None:  # to try each address that there is would take longer
        narrowed = f"id IN ({_OF_MESSAGES}) AND ({narrowed})"
        parameters = parameters | dict(zip(("low", "high"), asking.within, strict=True))
    rows = driver(asking.session).execute(
        f"SELECT id, name, local, domain FROM address WHERE {narrowed}", parameters
    )
    written, enveloped = [], []
    for key, *said in rows:
        address = Address(*said)
        view: Any = _AddressView({field: (address,)}, Envelope(), {})
        if condition.holds(view, _NOTHING_GIVEN):
            written.append(key)
        if condition.field == "recipient" and not address.name:
            view = _AddressView({}, Envelope(None, (address.address,)), {})
            if condition.holds(view, _NOTHING_GIVEN):
                enveloped.append(key)
    return written, enveloped


def _narrowed(condition: AddressCondition) -> tuple[str, dict[str, Any]]:
    """SQL that is true of every address that passes, and of few others."""
    piece_of_local = condition.part in ("user", "tag")  # folded alone it may read otherwise
    if condition.is_exact or condition.test == "wildcard" or piece_of_local:
        return "1", {}
    parameters = named(condition.comparable_values)
    if condition.part == "domain" and condition.test in ("is", "under"):
        parameters = {name: home_of(value) for name, value in parameters.items()}
        pieces = [f"home = :{name}" for name in parameters]
        if condition.test == "under":  # "/" comes right after "." in every text
            pieces += [f"(home > :{name} || '.' AND home < :{name} || '/')" for name in parameters]
    elif condition.part == "address" and condition.test == "is":
        pieces = [f"canonical = :{name}" for name in parameters]
    else:
        pieces = [f"instr(folded, :{name}) > 0" for name in parameters]
    return " OR ".join(pieces), parameters


def _mine(asking: Asking) -> list[int]:
    """The ids of the addresses that are the owner's, with a tag or without."""
    me, ids = asking.circumstances.me, _with_canonical(asking, asking.circumstances.me)
    tagged = "SELECT id, canonical FROM address WHERE instr(canonical, '+') > 0"
    rows = driver(asking.session).execute(tagged)
    return sorted({*ids, *(key for key, canonical in rows if without_tag(canonical) in me)})


def _with_canonical(asking: Asking, wanted: Iterable[str]) -> list[int]:
    """The ids of the addresses whose canonical form is wanted."""
    sql = "SELECT id FROM address WHERE canonical IN (SELECT value FROM json_each(?))"
    rows = driver(asking.session).execute(sql, (json.dumps(list(wanted)),))
    return [key for (key,) in rows]


def addressed(condition: AddressedCondition, asking: Asking) -> Answer:
    """Exact."""
    mine = _mine(asking)
    only_me = (
        "SELECT ma.message_id FROM message_address AS ma JOIN address AS a"
        " ON a.id = ma.address_id WHERE ma.message_id > :low AND ma.message_id <= :high"
        " AND ma.header IN ('to', 'cc', 'bcc') GROUP BY ma.message_id"
        f" HAVING count(DISTINCT a.canonical) = 1 AND max(a.id IN ({_listed(mine)}))"
    )
    ways = {
        "only_me": f"m.id IN ({only_me})",
        "to_me": f"m.id IN ({_bearing(('to',), mine)})",
        "cc_me": f"m.id IN ({_bearing(('cc',), mine)})",
        "not_me": f"m.id NOT IN ({_bearing(_OPEN, mine)})",
    }
    return Answer(f"({' OR '.join(ways[value] for value in condition.values)})")


def contact(condition: ContactCondition, asking: Asking) -> Answer:
    """Exact."""
    ways, first = dict[str, str](), None
    if "first" in condition.values:
        first = first_messages(asking.session)
        ways["first"] = "m.id IN (SELECT value FROM json_each(:p0))"
    if set(condition.values) != {"first"}:
        contacts = asking.circumstances.contacts
        known = _bearing(("from",), _with_canonical(asking, contacts))
        ways |= {"known": f"m.id IN ({known})", "unknown": f"m.id NOT IN ({known})"}
    return Answer(
        f"({' OR '.join(ways[value] for value in condition.values)})",
        parameters={} if first is None else named([str(first.tolist())]),
        listed=first if set(condition.values) == {"first"} else None,
    )
