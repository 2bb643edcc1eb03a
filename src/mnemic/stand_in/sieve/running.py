"""A script run over a message: what becomes of it. Errors end in the inbox (RFC 5228, 2.10.6)."""

import re
from collections.abc import Callable, Collection
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta, timezone
from email.message import Message

from mnemic.stand_in.sieve.letter import Letter, content
from mnemic.stand_in.sieve.matching import matched
from mnemic.stand_in.sieve.reading import Call, required_by

__all__ = ["Delivered", "Result", "run"]

#: Characters of a variable (RFC 5229, section 6).
_LONGEST = 4_000


@dataclass(frozen=True)
class Delivered:
    """One copy: the folder, its flags, its special use where it was asked for by that, and whether
    a folder that is missing is made.
    """

    folder: str
    flags: tuple[str, ...]
    use: str = ""
    create: bool = False


@dataclass
class Result:
    """What a script did with one message; ``answers`` are the texts of automatic answers.

    ``tracked`` are the ids of ``duplicate`` by their handles, and for how many seconds.
    """

    delivered: list[Delivered] = field(default_factory=list)
    redirected: list[str] = field(default_factory=list)
    answers: list[dict[str, object]] = field(default_factory=list)
    tracked: dict[tuple[str, str], int] = field(default_factory=dict)

    def deliver(self, copy: Delivered) -> None:
        """One copy for each folder (RFC 5228, section 2.10.3)."""
        if not any((one.folder, one.use) == (copy.folder, copy.use) for one in self.delivered):
            self.delivered.append(copy)


class _StopError(Exception):
    """The script has said stop."""


def run(
    calls: list[Call],
    octets: bytes,
    sender: str = "",
    recipient: str = "",
    now: datetime | None = None,
    known: Collection[tuple[str, str]] = (),
) -> Result:
    """What a checked script does with a message at a moment; ``known`` ids are duplicates."""
    running = _Running(Letter(octets, sender, recipient), now or datetime.now(UTC), known)
    running.has_variables = "variables" in required_by(calls)
    with suppress(_StopError):
        running.block(calls)
    result = running.result
    if running.implicit:
        result.deliver(Delivered("INBOX", tuple(running.flags)))
    return result


class _Running:
    def __init__(self, letter: Letter, now: datetime, known: Collection[tuple[str, str]]) -> None:
        self._letter, self._now, self._known = letter, now, known
        self._variables: dict[str, str] = {}
        self.has_variables = False
        self.flags: list[str] = []
        self.implicit = True
        self.result = Result()

    # Strings

    def _expanded(self, text: str) -> str:
        if not self.has_variables:
            return text  # as it stands (RFC 5229, section 3)
        return re.sub(
            r"\$\{([A-Za-z_]\w*|\d+)\}",
            lambda match: self._variables.get(match[1].lower().lstrip("0") or "0", ""),
            text,
            flags=re.ASCII,
        )

    def _texts(self, value: object) -> list[str]:
        texts = value if isinstance(value, list) else [value]
        return [self._expanded(str(text)) for text in texts]

    # Commands

    def block(self, calls: list[Call]) -> None:
        """Run commands in order."""
        chosen = False
        for call in calls:
            if call.name == "if":
                chosen = False
            if call.name in ("if", "elsif", "else"):
                if not chosen and (call.name == "else" or self._holds(call.tests[0])):
                    chosen = True
                    self.block(call.block or [])
            elif call.name != "require":
                _COMMANDS[call.name](self, call)

    def _stop(self, _: Call) -> None:
        raise _StopError

    def _keep(self, call: Call) -> None:
        self.implicit = False
        self.result.deliver(Delivered("INBOX", self._flags_of(call)))

    def _discard(self, _: Call) -> None:
        self.implicit = False

    def _fileinto(self, call: Call) -> None:
        if ":copy" not in call.tags:
            self.implicit = False
        folder = self._texts(call.values[0])[0]
        use = str(call.tags.get(":specialuse") or "")
        folder = "INBOX" if folder.upper() == "INBOX" else folder
        create = ":create" in call.tags
        self.result.deliver(Delivered(folder, self._flags_of(call), use, create))

    def _redirect(self, call: Call) -> None:
        if ":copy" not in call.tags:
            self.implicit = False
        address = self._texts(call.values[0])[0]
        if address not in self.result.redirected:
            self.result.redirected.append(address)

    def _vacation(self, call: Call) -> None:
        if self.result.answers:
            return  # a second one is an error (RFC 5230, section 4.7): the first stands
        mine = [*self._texts(call.tags.get(":addresses") or []), self._letter.envelope["to"]]
        if self._letter.may_be_answered(mine):
            self.result.answers.append(
                {
                    "text": self._texts(call.values[0])[0],
                    "subject": call.tags.get(":subject"),
                    "days": call.tags.get(":days") or 7,
                    "handle": call.tags.get(":handle"),
                }
            )

    def _flags_of(self, call: Call) -> tuple[str, ...]:
        if ":flags" not in call.tags:
            return tuple(self.flags)
        return tuple(self._flags(call.tags[":flags"]))

    def _flags(self, value: object) -> list[str]:
        flags: dict[str, str] = {}
        for flag in " ".join(self._texts(value)).split():
            flags.setdefault(flag.lower(), flag)
        return list(flags.values())

    def _flags_there(self, call: Call) -> list[str]:
        """The flags that a command changes: those of a variable, if it names one (RFC 5232, 3)."""
        if len(call.values) == 1:
            return self.flags
        return self._flags(self._variables.get(self._texts(call.values[0])[0].lower(), ""))

    def _keep_flags(self, call: Call, flags: list[str]) -> None:
        if len(call.values) == 1:
            self.flags = flags
        else:
            name = self._texts(call.values[0])[0].lower()
            self._variables[name] = " ".join(flags)[:_LONGEST]

    def _addflag(self, call: Call) -> None:
        there = self._flags_there(call)
        self._keep_flags(call, self._flags([*there, *self._texts(call.values[-1])]))

    def _setflag(self, call: Call) -> None:
        self._keep_flags(call, self._flags(call.values[-1]))

    def _removeflag(self, call: Call) -> None:
        gone = {flag.lower() for flag in self._flags(call.values[-1])}
        there = self._flags_there(call)
        self._keep_flags(call, [flag for flag in there if flag.lower() not in gone])

    def _set(self, call: Call) -> None:
        value = self._texts(call.values[1])[0]
        for tag, change in _MODIFIERS:
            if tag in call.tags:
                value = change(value)
        self._variables[self._texts(call.values[0])[0].lower()] = value[:_LONGEST]

    # Tests

    def _holds(self, test: Call) -> bool:
        return _TESTS[test.name](self, test)

    def _compare(self, values: list[str], test: Call, keys: object) -> bool:
        left = matched(values, self._texts(keys), test.tags)
        if left:
            self._variables.update({str(number): piece for number, piece in enumerate(left)})
        return left is not None

    def _duplicate(self, test: Call) -> bool:
        """RFC 7352: ids are kept once the script has ended, so that it never meets its own."""
        if ":uniqueid" in test.tags:
            values = self._texts(test.tags[":uniqueid"])
        else:
            values = self._letter.header(self._texts(test.tags.get(":header") or "Message-ID")[0])
        if not values:
            return False
        key = self._texts(test.tags.get(":handle") or "")[0], values[0]
        is_known = key in self._known
        if not is_known or ":last" in test.tags:
            self.result.tracked[key] = int(str(test.tags.get(":seconds") or 604_800))
        return is_known

    def _header(self, test: Call) -> bool:
        names = self._texts(test.values[0])
        if ":mime" in test.tags:
            values = [value for name in names for value in self._of_parts(test, name)]
        else:
            values = [value for name in names for value in self._indexed(test, name)]
        return self._compare(values, test, test.values[1])

    def _indexed(self, test: Call, name: str) -> list[str]:
        values = self._letter.header(name)
        if ":index" not in test.tags:
            return values
        at = int(str(test.tags[":index"]))
        ordered = values[::-1] if ":last" in test.tags else values
        return ordered[at - 1 : at]

    def _of_parts(self, test: Call, name: str) -> list[str]:
        whole = ":anychild" in test.tags
        parts = list(self._letter.all_parts()) if whole else list(self._letter.all_parts())[:1]
        return [value for part in parts for value in self._of_part(test, part, name)]

    def _of_part(self, test: Call, part: Message, name: str) -> list[str]:
        if name not in part and ":contenttype" not in test.tags:
            return []
        if ":param" in test.tags:
            parameters = [
                part.get_param(text, header=name) for text in self._texts(test.tags[":param"])
            ]
            return [_parameter(parameter) for parameter in parameters if parameter is not None]
        if ":contenttype" in test.tags:
            return [part.get_content_type()]
        return [str(value) for value in part.get_all(name, [])]

    def _address(self, test: Call) -> bool:
        addresses = self._letter.addresses(self._texts(test.values[0]))
        return self._compare(_parts_of(addresses, test), test, test.values[1])

    def _envelope(self, test: Call) -> bool:
        envelope = self._letter.envelope
        addresses = [envelope.get(part.lower(), "") for part in self._texts(test.values[0])]
        return self._compare(_parts_of(addresses, test), test, test.values[1])

    def _exists(self, test: Call) -> bool:
        return all(self._letter.raw(name) for name in self._texts(test.values[0]))

    def _size(self, test: Call) -> bool:
        limit, size = int(str(test.values[0])), len(self._letter.octets)
        return size > limit if ":over" in test.tags else size < limit

    def _body(self, test: Call) -> bool:
        if ":raw" in test.tags:
            raw = self._letter.octets.partition(b"\r\n\r\n")[2] or self._letter.octets
            values = [raw.decode("utf-8", "replace")]
        elif ":content" in test.tags:
            types = [text.lower() for text in self._texts(test.tags[":content"])]
            values = [
                content(part)
                for part in self._letter.parts()
                if any(
                    wanted in ("", part.get_content_type(), part.get_content_maintype())
                    for wanted in types
                )
            ]
        else:
            values = self._letter.texts()
        return self._compare(values, test, test.values[0])

    def _date(self, test: Call) -> bool:
        moment = self._letter.date(self._texts(test.values[0])[0])
        if moment is None:
            return False
        return self._day(moment, test, self._texts(test.values[1])[0], test.values[2])

    def _currentdate(self, test: Call) -> bool:
        return self._day(self._now, test, self._texts(test.values[0])[0], test.values[1])

    def _day(self, moment: datetime, test: Call, part: str, keys: object) -> bool:
        zone = test.tags.get(":zone")
        if zone is not None:
            sign, hours, minutes = str(zone)[0], int(str(zone)[1:3]), int(str(zone)[3:5])
            offset = timedelta(hours=hours, minutes=minutes)
            moment = moment.astimezone(timezone(-offset if sign == "-" else offset))
        said = {
            "date": moment.strftime("%Y-%m-%d"),
            "year": moment.strftime("%Y"),
            "month": moment.strftime("%m"),
            "day": moment.strftime("%d"),
            "hour": moment.strftime("%H"),
            "minute": moment.strftime("%M"),
            "weekday": moment.strftime("%w"),
            "time": moment.strftime("%H:%M:%S"),
        }
        return part.lower() in said and self._compare([said[part.lower()]], test, keys)

    def _string(self, test: Call) -> bool:
        return self._compare(self._texts(test.values[0]), test, test.values[1])

    def _hasflag(self, test: Call) -> bool:
        flags = self.flags
        if len(test.values) > 1:
            named = [self._variables.get(text.lower(), "") for text in self._texts(test.values[0])]
            flags = self._flags(named)
        return self._compare(flags, test, test.values[-1])


def _parts_of(addresses: list[str], test: Call) -> list[str]:
    """The part of each address that a test asks for (RFC 5228, section 2.7.4; RFC 5233)."""
    parts = []
    for address in addresses:
        local, at, domain = address.rpartition("@")
        local, domain = (local, domain) if at else (address, "")
        user, plus, detail = local.partition("+")
        if ":domain" in test.tags:
            parts.append(domain)
        elif ":localpart" in test.tags:
            parts.append(local)
        elif ":user" in test.tags:
            parts.append(user)
        elif ":detail" in test.tags:
            parts += [detail] if plus else []
        else:
            parts.append(address)
    return parts


def _parameter(value: object) -> str:
    """A parameter's value; of RFC 2231 it comes in three pieces."""
    if isinstance(value, tuple):
        charset, _, text = value
        return str(text).encode("latin-1", "replace").decode(charset or "ascii", "replace")
    return str(value)


#: Modifiers by their precedence, the first first (RFC 5229, section 4.1).
_MODIFIERS: tuple[tuple[str, Callable[[str], str]], ...] = (
    (":lower", str.lower),
    (":upper", str.upper),
    (":lowerfirst", lambda text: text[:1].lower() + text[1:]),
    (":upperfirst", lambda text: text[:1].upper() + text[1:]),
    (":quotewildcard", lambda text: re.sub(r"([*?\\])", r"\\\1", text)),
    (":length", lambda text: str(len(text))),
)

_COMMANDS: dict[str, Callable[[_Running, Call], None]] = {
    "addflag": _Running._addflag,
    "discard": _Running._discard,
    "fileinto": _Running._fileinto,
    "keep": _Running._keep,
    "redirect": _Running._redirect,
    "removeflag": _Running._removeflag,
    "set": _Running._set,
    "setflag": _Running._setflag,
    "stop": _Running._stop,
    "vacation": _Running._vacation,
}

_TESTS: dict[str, Callable[[_Running, Call], bool]] = {
    "address": _Running._address,
    "allof": lambda running, test: all(running._holds(inner) for inner in test.tests),
    "anyof": lambda running, test: any(running._holds(inner) for inner in test.tests),
    "body": _Running._body,
    "currentdate": _Running._currentdate,
    "date": _Running._date,
    "duplicate": _Running._duplicate,
    "envelope": _Running._envelope,
    "exists": _Running._exists,
    "false": lambda _running, _test: False,
    "hasflag": _Running._hasflag,
    "header": _Running._header,
    "mailboxexists": lambda _running, _test: True,
    "not": lambda running, test: not running._holds(test.tests[0]),
    "size": _Running._size,
    "string": _Running._string,
    "true": lambda _running, _test: True,
}
