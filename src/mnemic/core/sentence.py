"""A rule read back as one English sentence, unambiguous about all, any and unless."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from mnemic.core.actions import Action
from mnemic.core.conditions import AnyCondition
from mnemic.core.conditions.addresses import AddressCondition
from mnemic.core.conditions.texts import NamedHeaderCondition, TextTestCondition
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup

__all__ = ["Phrase", "condition_saying", "sentence"]


@dataclass(frozen=True, slots=True)
class Phrase:
    """A piece of the sentence; ``strong`` marks what the owner filled in."""

    text: str
    strong: bool = False


_NOUNS = {
    "from": "the sender",
    "sender": "the Sender field",
    "reply_to": "the reply address",
    "to": "an address in To",
    "cc": "an address in Cc",
    "bcc": "an address in Bcc",
    "recipient": "a recipient",
    "subject": "the subject",
    "body": "the text",
    "text": "the subject or the text",
    "list": "the list’s identifier",
    "attachment": "an attachment’s name",
    "attachment_type": "an attachment’s type",
    "size": "its size",
    "received": "its day of receipt",
    "sent": "its date",
    "age": "its age",
    "account": "its account",
    "folder": "its folder",
    "label": "one of its labels",
}
_PART_NOUNS = {
    "address": "",
    "domain": "’s domain",
    "local": "’s part before the @",
    "user": "’s user name",
    "tag": "’s +tag",
    "name": "’s name",
    "any": "’s name or address",
}
_VERBS = {
    "contains": "contains",
    "words": "has the words",
    "is": "is",
    "begins": "begins with",
    "ends": "ends with",
    "wildcard": "looks like",
    "regex": "matches the pattern",
    "over": "is over",
    "before": "is before",
    "after": "is after",
    "on": "is",
}
#: Values that stand for a whole statement about the message.
_STATEMENTS: dict[str, dict[Any, str]] = {
    "priority": {level: f"its priority is {level}" for level in ("high", "normal", "low")},
    "kind": {
        "bounce": "it is a bounce",
        "auto_reply": "it is an automatic answer",
        "invitation": "it is an invitation",
        "notification": "it is an automatic notification",
        "discussion": "it is from a discussion list",
        "newsletter": "it is a newsletter",
        "personal": "it is personal",
    },
    "addressed": {
        "only_me": "it is addressed only to me",
        "to_me": "I am in To",
        "cc_me": "I am in Cc",
        "not_me": "I am in neither To, Cc nor Bcc",
    },
    "contact": {
        "known": "the sender is a known contact",
        "unknown": "the sender is not a known contact",
        "first": "it is the first message from its sender",
    },
    "seen": {True: "it is read", False: "it is unread"},
    "flagged": {True: "it is flagged", False: "it is not flagged"},
}
_EXISTS = {"list": "it has a list identifier", "attachment": "it has an attachment"}


def _listed(items: Sequence[list[Phrase]], joiner: str) -> list[Phrase]:
    """``a``, ``a or b``, ``a, b or c``."""
    phrases: list[Phrase] = []
    for position, item in enumerate(items):
        if position:
            last = position == len(items) - 1
            phrases.append(Phrase(f" {joiner} " if last else ", "))
        phrases += item
    return phrases


def _noun(condition: AnyCondition) -> list[Phrase]:
    if isinstance(condition, NamedHeaderCondition):
        return [Phrase("the header field "), Phrase(condition.name, strong=True)]
    part = _PART_NOUNS[condition.part] if isinstance(condition, AddressCondition) else ""
    return [Phrase(_NOUNS[condition.field] + part)]


def _verb(condition: AnyCondition) -> str:
    if condition.test == "under":
        return "is or is below" if isinstance(condition, AddressCondition) else "is under"
    single = all(" " not in str(value) for value in condition.values or ())
    return "has the word" if condition.test == "words" and single else _VERBS[condition.test]


def _condition(condition: AnyCondition) -> list[Phrase]:
    if condition.field in _STATEMENTS:
        statements = _STATEMENTS[condition.field]
        said = [[Phrase(statements[value], strong=True)] for value in condition.values or ()]
        return _listed(said, "or")
    if condition.test == "exists":
        if isinstance(condition, NamedHeaderCondition):
            return [*_noun(condition), Phrase(" is there")]
        return [Phrase(_EXISTS[condition.field])]
    values = [[Phrase(str(value), strong=True)] for value in condition.values or ()]
    exactly: list[Phrase] = []
    if isinstance(condition, TextTestCondition) and condition.case:
        exactly = [Phrase(" (in exactly this case)")]
    return [*_noun(condition), Phrase(f" {_verb(condition)} "), *_listed(values, "or"), *exactly]


def _test(test: AnyTest, *, nested: bool = False) -> list[Phrase]:
    match test:
        case AllGroup() | AnyGroup():
            return _group(test, nested=nested)
        case NotGroup():
            return [Phrase("it is not so that "), *_test(test.not_, nested=True)]
        case Always():
            return [Phrase("any message comes")]
        case _:
            return _condition(test)


def _group(test: AllGroup | AnyGroup, *, nested: bool) -> list[Phrase]:
    inside = [_test(each, nested=len(test.tests) > 1) for each in test.tests]
    if len(inside) == 1:
        return _test(test.tests[0], nested=nested)
    every = isinstance(test, AllGroup)
    joined = _listed(inside, "and" if every else "or")
    if not nested:
        return joined
    if len(inside) > 2:
        lead = "all of: " if every else "any of: "
    else:
        lead = "both " if every else "either "
    return [Phrase(f"({lead}"), *joined, Phrase(")")]


_PLACES = {
    "keep": "keep it in the inbox",
    "archive": "archive it",
    "trash": "put it in the trash",
    "erase": "delete it for good",
}
_MARKS = {
    "read": "mark it as read",
    "unread": "mark it as unread",
    "flag": "flag it",
    "unflag": "take its flag off",
}


def _strong(lead: str, value: str) -> list[Phrase]:
    return [Phrase(lead), Phrase(value, strong=True)]


def _spoken(path: str) -> str:
    return path.replace("/", " / ")


_SAID: dict[str, Callable[[Any], list[Phrase]]] = {
    **{name: lambda action: [Phrase(_PLACES[action.do])] for name in _PLACES},
    **{name: lambda action: [Phrase(_MARKS[action.do])] for name in _MARKS},
    "file": lambda action: _strong("file it in ", _spoken(action.folder)),
    "copy": lambda action: _strong("copy it to ", _spoken(action.folder)),
    "label": lambda action: _strong("label it ", action.label),
    "unlabel": lambda action: _strong("take off its label ", action.label),
    "colour": lambda action: _strong("colour it ", action.colour),
    "priority": lambda action: _strong("set its priority to ", action.level),
    "forward": lambda action: [
        Phrase("forward it to "),
        *_listed([[Phrase(each, strong=True)] for each in action.to], "and"),
    ],
    "reply": lambda action: [
        Phrase(f"answer it, at most every {action.every} days to one sender, with "),
        Phrase(f"“{action.text}”", strong=True),
    ],
    "notify": lambda action: (
        _strong("tell me with the sound ", action.sound) if action.sound else [Phrase("tell me")]
    ),
}


def _joined(phrases: list[Phrase]) -> tuple[Phrase, ...]:
    """Neighbours of one kind as one phrase."""
    joined: list[Phrase] = []
    for phrase in phrases:
        if joined and joined[-1].strong == phrase.strong:
            joined[-1] = Phrase(joined[-1].text + phrase.text, phrase.strong)
        else:
            joined.append(phrase)
    return tuple(joined)


def condition_saying(condition: AnyCondition) -> str:
    """One condition in words: "the subject has the word permit"."""
    return "".join(phrase.text for phrase in _condition(condition))


def sentence(
    when: AnyTest, unless: AnyTest | None, then: Sequence[Action], *, stop: bool = False
) -> tuple[Phrase, ...]:
    """Say what a rule does; without actions yet, say only which mail it takes."""
    phrases = [Phrase("When "), *_test(when)]
    if unless is not None:
        phrases += [Phrase(", unless "), *_test(unless)]
    if then:
        phrases += [Phrase(": "), *_listed([_SAID[each.do](each) for each in then], "and")]
    if stop:
        phrases.append(Phrase("; no later rule is tried"))
    return _joined([*phrases, Phrase(".")])
