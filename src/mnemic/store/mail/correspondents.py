"""Addresses and domains of mail, and how many messages have each: counted once, then what is new.

To count them anew takes a tenth of a second in a mailbox of 100,000, and is asked for with each key
that is typed where an address is meant.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.store.engine.driver import driver, listed_numbers
from mnemic.store.engine.session_memory import shared_by
from mnemic.store.mail.renewed import Newest, Renewed

__all__ = ["Correspondent", "Part", "Side", "correspondents"]

#: Whose addresses: those of senders, or of all whom mail is to.
Side: TypeAlias = Literal["from", "recipient"]
#: What of an address.
Part: TypeAlias = Literal["address", "domain"]

_HEADERS: Mapping[Side, tuple[str, ...]] = {
    "from": ("from",),
    "recipient": ("to", "cc", "bcc", "delivered_to", "x_original_to", "envelope"),
}
_VALUES: Mapping[Part, str] = {
    "address": "lower(a.local) || '@' || lower(a.domain)",
    "domain": "lower(a.domain)",
}

_PAIRS = (
    "SELECT group_concat(address_id || ' ' || message_id, ' ') FROM message_address"
    " WHERE message_id > ? AND header IN ({headers})"
)
_ADDRESSES = "SELECT a.id, {value}, a.name FROM address AS a WHERE a.domain <> ''"
#: Addresses up to which each is looked up; of more all are read.
_FEW = 1_000
_DESTROYED = (
    "SELECT 1 FROM journal NOT INDEXED WHERE id > ? AND entity = 'message' AND slot = 'destroyed'"
    " LIMIT 1"
)


@dataclass(frozen=True, slots=True)
class Correspondent:
    """An address or a domain, the names beside it, and how many messages have it."""

    value: str
    names: tuple[str, ...]
    messages: int
    searched: str  # what is looked into for a text, in small letters


@dataclass(frozen=True, slots=True)
class _Counts:
    """The people by value; nobody may write to it."""

    people: Mapping[str, Correspondent]
    newest: Newest


class _RenewedCounts(Renewed[_Counts]):
    """The counts of a side and a part, as the newest readers saw them."""

    def __init__(self, side: Side, part: Part) -> None:
        super().__init__()
        self._side, self._part = side, part

    def read_all(self, session: Session, newest: Newest) -> _Counts:
        counted = self._counted(session, 0)
        return _Counts({person.value: person for person in counted}, newest)

    def read_since(self, session: Session, known: _Counts, newest: Newest) -> _Counts | None:
        """Read new messages: their people never change, but messages may be destroyed."""
        before = known.newest
        if driver(session).execute(_DESTROYED, (before.journal,)).fetchall():
            return None
        people = dict(known.people)
        for new in self._counted(session, before.top):
            old = people.get(new.value)
            people[new.value] = new if old is None else self._both(old, new)
        return _Counts(people, newest)

    def _both(self, old: Correspondent, new: Correspondent) -> Correspondent:
        names = tuple(dict.fromkeys([*old.names, *new.names]))
        return self._made(old.value, names, old.messages + new.messages)

    def _counted(self, session: Session, above: int) -> Iterator[Correspondent]:
        """Those of the messages above an id."""
        headers = ", ".join(f"'{header}'" for header in _HEADERS[self._side])
        pairs = listed_numbers(session, _PAIRS.format(headers=headers), (above,)).reshape(-1, 2)
        names, number_of = self._addresses(session, np.unique(pairs[:, 0]).tolist())
        numbers, size = number_of[pairs[:, 0]], int(pairs[:, 1].max(initial=0)) + 1
        # A message may have a value several times, and names that go with it.
        with_messages = np.unique((numbers * size + pairs[:, 1])[numbers >= 0])
        counts = np.bincount(with_messages // size, minlength=len(names)).tolist()
        for (value, beside), messages in zip(names.items(), counts, strict=True):
            yield self._made(value, tuple(beside), messages)

    def _addresses(
        self, session: Session, used: list[int]
    ) -> tuple[dict[str, dict[str, None]], NDArray[np.int64]]:
        """The names beside each value of these addresses; by address the number of its value."""
        sql, listed = _ADDRESSES.format(value=_VALUES[self._part]), ""
        if len(used) <= _FEW:
            listed = " AND a.id IN (SELECT value FROM json_each(?))"
        rows = driver(session).execute(sql + listed, (str(used),) if listed else ()).fetchall()
        names: dict[str, dict[str, None]] = {}
        numbers: dict[str, int] = {}
        number_of = np.full(max(used, default=0) + 1, -1, np.int64)
        wanted = frozenset(used)
        for address_id, value, name in rows:
            if address_id in wanted:
                names.setdefault(value, {})[name] = None
                number_of[address_id] = numbers.setdefault(value, len(numbers))
        return names, number_of

    def _made(self, value: str, names: tuple[str, ...], messages: int) -> Correspondent:
        if self._part == "domain":
            return Correspondent(value, (), messages, value.lower())
        searched = "\n".join(f"{value} {name}".lower() for name in names)
        return Correspondent(value, names, messages, searched)


class _Known:
    """The counts of every side and part."""

    def __init__(self) -> None:
        self._counts = {
            (side, part): _RenewedCounts(side, part) for side in _HEADERS for part in _VALUES
        }

    def of(self, session: Session, side: Side, part: Part) -> _Counts:
        """Those of one side and part, as a session sees them."""
        return self._counts[side, part].of(session)


def correspondents(session: Session, side: Side, part: Part, text: str) -> list[Correspondent]:
    """Those that hold a text in small letters, in the address or in a name, in no order."""
    session.flush()
    counted = shared_by(session, _Known).of(session, side, part).people
    return [person for person in counted.values() if text in person.searched]
