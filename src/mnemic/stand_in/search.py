"""SEARCH (RFC 9051, section 6.4.4; MODSEQ of RFC 7162): Twisted's compares octets with text."""

import operator
import re
from collections.abc import Callable
from datetime import UTC, date, datetime
from email import message_from_bytes, policy
from email.utils import parsedate_to_datetime
from typing import Any, TypeAlias

from mnemic.stand_in.boxes import Box, Mail
from mnemic.stand_in.numbers import ranges

__all__ = ["Search"]

#: Whether a message is found, given its number and the message.
_Test: TypeAlias = Callable[[int, Mail], bool]

_FLAGS = {
    b"ANSWERED": "\\Answered",
    b"DELETED": "\\Deleted",
    b"DRAFT": "\\Draft",
    b"FLAGGED": "\\Flagged",
    b"SEEN": "\\Seen",
    b"RECENT": "\\Recent",
}
_FIELDS = (b"SUBJECT", b"FROM", b"TO", b"CC", b"BCC", b"HEADER")
_DAYS: dict[bytes, Callable[[date, date], bool]] = {
    b"BEFORE": operator.lt,
    b"ON": operator.eq,
    b"SINCE": operator.ge,
}


class Search:
    """A parsed query, asked of one message after the other. Raises ValueError: it is none."""

    def __init__(self, box: Box, keys: list[Any]) -> None:
        self._box, self._top = box, box.mails[-1].uid if box.mails else 0
        self.finds = self._all(list(keys))

    def _all(self, keys: list[Any]) -> _Test:
        tests: list[_Test] = []
        while keys:
            tests.append(self._one(keys))
        return lambda number, mail: all(test(number, mail) for test in tests)

    def _one(self, keys: list[Any]) -> _Test:
        key = keys.pop(0)
        if isinstance(key, list):
            return self._all(key)
        key = key.upper()
        if key == b"ALL":
            return lambda _, __: True
        if key == b"NOT":
            inner = self._one(keys)
            return lambda number, mail: not inner(number, mail)
        if key == b"OR":
            one, other = self._one(keys), self._one(keys)
            return lambda number, mail: one(number, mail) or other(number, mail)
        return self._of_flags(key, keys) or self._of_numbers(key, keys) or _of_content(key, keys)

    def _of_flags(self, key: bytes, keys: list[Any]) -> _Test | None:
        wanted = not key.startswith(b"UN")
        name = key if wanted else key.removeprefix(b"UN")
        if name in _FLAGS:
            flag = _FLAGS[name]
            return lambda _, mail: (flag in mail.flags) is wanted
        if name == b"KEYWORD":
            word = keys.pop(0).decode().lower()
            return lambda _, mail: (word in map(str.lower, mail.flags)) is wanted
        return None

    def _of_numbers(self, key: bytes, keys: list[Any]) -> _Test | None:
        if key == b"UID":
            uids = ranges(keys.pop(0), self._top)
            return lambda _, mail: any(low <= mail.uid <= high for low, high in uids)
        if re.fullmatch(rb"[\d*][\d:,*]*", key):
            numbers = ranges(key, len(self._box.mails))
            return lambda number, _: any(low <= number <= high for low, high in numbers)
        if key in (b"LARGER", b"SMALLER"):
            size = int(keys.pop(0))
            compare = operator.gt if key == b"LARGER" else operator.lt
            return lambda _, mail: compare(len(mail.octets), size)
        if key == b"MODSEQ":
            least = int(keys.pop(0))
            return lambda _, mail: mail.modseq >= least
        return None


def _of_content(key: bytes, keys: list[Any]) -> _Test:
    sent = key.startswith(b"SENT")
    if key.removeprefix(b"SENT") in _DAYS:
        day = datetime.strptime(keys.pop(0).decode(), "%d-%b-%Y").replace(tzinfo=UTC).date()
        compare = _DAYS[key.removeprefix(b"SENT")]
        return lambda _, mail: (of := _day(mail, sent=sent)) is not None and compare(of, day)
    if key in _FIELDS:
        name = (keys.pop(0) if key == b"HEADER" else key).decode()
        text = keys.pop(0).decode("utf-8", "replace").lower()
        return lambda _, mail: any(text in str(field).lower() for field in _fields(mail, name))
    if key in (b"BODY", b"TEXT"):
        octets = keys.pop(0).lower()
        return lambda _, mail: octets in mail.octets.lower()
    raise ValueError(f"there is no search key {key.decode('ascii', 'replace')}")


def _fields(mail: Mail, name: str) -> list[Any]:
    return message_from_bytes(mail.octets[:65536], policy=policy.default).get_all(name, [])


def _day(mail: Mail, *, sent: bool) -> date | None:
    if not sent:
        return datetime.fromtimestamp(mail.received, UTC).date()
    try:
        return parsedate_to_datetime(str(_fields(mail, "date")[0])).date()
    except (IndexError, TypeError, ValueError):
        return None
