"""What rules do, read a second time: from the text of the rule document, with nothing of the core.

Mail is known as it was made, and not as it is parsed. What takes rules here and in the core apart is
a fault of one of them, or of the text.
"""

import re
import unicodedata
from base64 import b64encode
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, tzinfo
from email.utils import format_datetime
from itertools import chain
from typing import Any

import re2

__all__ = ["DOMAIN", "MadeMail", "Now", "outcome"]

#: A domain in both of its forms, in whatever case.
DOMAIN = ("bücher.example", "xn--bcher-kva.example")

_IGNORED = re.compile("[\u00ad\u200b-\u200d\u2060\ufeff]")
_EITHER = re.compile("(?i)bücher|xn--bcher-kva")
_UNITS = {"minute": 60, "hour": 3_600, "day": 86_400, "week": 604_800}

_Test = dict[str, Any]


@dataclass(frozen=True)
class MadeMail:
    """A message; ``people`` are names and addresses by header field."""

    subject: str | None
    body: str
    tags: Sequence[str]
    people: dict[str, Sequence[tuple[str, str]]]
    received: datetime

    def octets(self) -> bytes:
        """The message as it is written, so that every text comes through as it is."""
        lines = [f"Received: by x.example; {format_datetime(self.received)}"]
        for name, listed in self.people.items():
            if listed:
                written = (f"{_encoded(who)} <{address}>" for who, address in listed)
                lines.append(f"{name}: {', '.join(written)}")
        lines += [] if self.subject is None else [f"Subject: {_encoded(self.subject)}"]
        lines += [f"X-Tag: {_encoded(tag)}" for tag in self.tags]
        lines += ["Content-Type: text/plain; charset=utf-8", "Content-Transfer-Encoding: 8bit"]
        return ("\r\n".join(lines) + f"\r\n\r\n{self.body}\r\n").encode()


def _encoded(text: str) -> str:
    """RFC 2047; a text of letters stays as it is."""
    return text if text.isascii() else f"=?utf-8?b?{b64encode(text.encode()).decode()}?="


@dataclass(frozen=True)
class Now:
    """What is so when the run starts."""

    event: str
    moment: datetime
    zone: tzinfo
    seen: bool
    flagged: bool


def _spaced(text: str) -> str:
    return re.sub(r"\s+", " ", text).strip()


def _folded(text: str) -> str:
    compatible = unicodedata.normalize("NFKC", _IGNORED.sub("", text)).casefold()
    return _spaced(unicodedata.normalize("NFKC", compatible))


def _exact(text: str) -> str:
    return _spaced(unicodedata.normalize("NFC", _IGNORED.sub("", text)))


def _at_edges(value: str, text: str) -> bool:
    at = text.find(value)
    while at >= 0:
        around = text[:at][-1:] + text[at + len(value) :][:1]
        if not any(sign == "_" or unicodedata.category(sign)[0] in "LN" for sign in around):
            return True
        at = text.find(value, at + 1)
    return False


def _like(value: str, text: str) -> bool:
    signs = re.findall(r"\\.|.|\\", value, re.DOTALL)
    meant = {"*": ".*", "?": "."}
    pattern = "".join(meant.get(sign) or re.escape(sign[-1]) for sign in signs)
    return re.fullmatch(pattern, text, re.DOTALL) is not None


_PASSES: dict[str, Callable[[str, str], bool]] = {
    "contains": lambda value, text: value in text,
    "words": _at_edges,
    "is": lambda value, text: value == text,
    "begins": lambda value, text: text.startswith(value),
    "ends": lambda value, text: text.endswith(value),
    "wildcard": _like,
    "under": lambda value, text: text == value or text.endswith(f".{value}"),
}


def _passes(condition: _Test, value: str, text: str) -> bool:
    case = condition.get("case", False)
    if condition["test"] == "regex":
        return re2.search(("" if case else "(?i)") + value, _exact(text)) is not None
    form = _exact if case else _folded
    if condition.get("part", "address") in ("address", "domain", "any"):
        value, text = (_EITHER.sub("bücher", either) for either in (value, text))
    return _PASSES[condition["test"]](form(value), form(text))


def _of_address(part: str, name: str, address: str) -> list[str]:
    local, _, domain = address.partition("@")
    user, plus, tag = local.partition("+")
    texts = {
        "address": [address],
        "domain": [domain],
        "local": [local],
        "user": [user],
        "tag": [tag] if plus else [],
        "name": [name] if name else [],
        "any": [name, address] if name else [address],
    }
    return texts[part]


def _texts(condition: _Test, mail: MadeMail) -> Iterator[str]:
    named: dict[str, list[str | None]] = {
        "subject": [mail.subject],
        "body": [mail.body],
        "text": [mail.subject, mail.body],
    }
    asked = condition["field"]
    if asked == "header":
        yield from mail.tags
    elif asked in named:
        yield from (text for text in named[asked] if text is not None)
    else:
        headers = ("To", "Cc") if asked == "recipient" else (asked.capitalize(),)
        for name, address in chain(*(mail.people[header] for header in headers)):
            yield from _of_address(condition.get("part", "address"), name, address)


def _moment_passes(condition: _Test, value: str, received: datetime, now: Now) -> bool:
    if condition["field"] == "age":
        count, unit = value.split()
        old = (now.moment - received).total_seconds() - int(count) * _UNITS[unit.removesuffix("s")]
        return old > 0 if condition["test"] == "over" else old < 0
    day, asked = received.astimezone(now.zone).date(), date.fromisoformat(value)
    return {"before": day < asked, "after": day > asked, "on": day == asked}[condition["test"]]


def _holds(test: _Test, mail: MadeMail, now: Now) -> bool:
    if "not" in test:
        return not _holds(test["not"], mail, now)
    if "all" in test:
        return all(_holds(inner, mail, now) for inner in test["all"])
    if "any" in test:
        return any(_holds(inner, mail, now) for inner in test["any"])
    if "always" in test:
        return True
    if test["test"] == "exists":
        return bool(mail.tags)
    if test["field"] in ("received", "age"):
        return any(_moment_passes(test, value, mail.received, now) for value in test["values"])
    if test["field"] in ("seen", "flagged"):
        return getattr(now, test["field"]) in test["values"]
    return any(
        _passes(test, value, text) for text in _texts(test, mail) for value in test["values"]
    )


def _takes(rule: dict[str, Any], mail: MadeMail, now: Now) -> bool:
    active = rule.get("active", {})
    day = mail.received.astimezone(now.zone).date().isoformat()
    return (
        rule.get("enabled", True)
        and now.event in rule.get("runs", ["arrival"])
        and active.get("from", day) <= day <= active.get("until", day)
        and _holds(rule["when"], mail, now)
        and not ("unless" in rule and _holds(rule["unless"], mail, now))
    )


@dataclass
class _Outcome:
    said: dict[str, Any] = field(default_factory=dict)
    slots: dict[str, Any] = field(default_factory=dict)
    labels: dict[str, str] = field(default_factory=dict)

    def act(self, action: dict[str, Any], event: str) -> None:
        done = action["do"]
        places = {"keep": "inbox" if event == "arrival" else None, "erase": "erased"}
        if done in ("file", "keep", "archive", "trash", "erase"):
            place = "folder" if done == "file" else places.get(done, done)
            self.slots.setdefault("place", (place, action.get("folder")))
        elif done in ("read", "unread", "flag", "unflag"):
            slot = "seen" if done.endswith("read") else "flagged"
            self.slots.setdefault(slot, not done.startswith("un"))
        elif done in ("label", "unlabel"):
            if self.labels.setdefault(_folded(action["label"]), done) == done:
                self._add(f"{done}s", action["label"])
        else:
            self._add("copies", action["folder"])

    def _add(self, kind: str, name: str) -> None:
        listed = self.said.setdefault(kind, [])
        if _folded(name) not in map(_folded, listed):
            listed.append(name)


def outcome(rules: Sequence[dict[str, Any]], mail: MadeMail, now: Now) -> dict[str, Any]:
    """What a line does with a message, as ``mnemic sort`` says it."""
    result, took, stopped_by = _Outcome(), [], None
    for rule in rules:
        if not _takes(rule, mail, now):
            continue
        took.append(rule["name"])
        for action in rule["then"]:
            result.act(action, now.event)
        if rule.get("stop"):
            stopped_by = rule["name"]
            break
    place, folder = result.slots.get("place", ("inbox" if now.event == "arrival" else None, None))
    return {
        "rules": took,
        "place": place,
        "folder": folder,
        "copies": result.said.get("copies", []),
        "labels": result.said.get("labels", []),
        "unlabels": result.said.get("unlabels", []),
        "seen": result.slots.get("seen"),
        "flagged": result.slots.get("flagged"),
        "stopped_by": stopped_by,
    }
