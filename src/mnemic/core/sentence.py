"""A rule read back as one English sentence, unambiguous about all, any and unless."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from mnemic.core.actions import Action
from mnemic.core.conditions import AnyCondition
from mnemic.core.conditions.addresses import AddressCondition
from mnemic.core.conditions.texts import NamedHeaderCondition, TextTestCondition
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, Event, NotGroup, Rule

__all__ = ["Phrase", "action_saying", "condition_saying", "sentence", "sentence_of", "test_saying"]


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
#: The same where none of them may pass.
_NONE = {"label": "none of its labels"}
_PART_NOUNS = {
    "address": "",
    "domain": "’s domain",
    "local": "’s part before the @",
    "user": "’s user name",
    "tag": "’s +tag",
    "name": "’s name",
    "any": "’s name or address",
}
#: What a test says, and what it says turned round.
_VERBS = {
    "contains": ("contains", "does not contain"),
    "words": ("has the words", "does not have the words"),
    "word": ("has the word", "does not have the word"),
    "is": ("is", "is not"),
    "begins": ("begins with", "does not begin with"),
    "ends": ("ends with", "does not end with"),
    "wildcard": ("looks like", "does not look like"),
    "regex": ("matches the pattern", "does not match the pattern"),
    "under": ("is or is below", "neither is nor is below"),
    "over": ("is over", "is not over"),
    "less": ("is under", "is not under"),
    "before": ("is before", "is not before"),
    "after": ("is after", "is not after"),
    "on": ("is", "is not"),
}
#: Fields of which a message may have several: turned round, none of them may pass.
_SEVERAL = ("to", "cc", "bcc", "recipient", "attachment", "attachment_type")
#: Values that stand for a whole statement about the message.
_STATEMENTS: dict[str, dict[Any, str]] = {
    "priority": {level: f"its importance is {level}" for level in ("high", "normal", "low")},
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
_EXISTS = {
    "list": ("it has a list identifier", "it has no list identifier"),
    "attachment": ("it has an attachment", "it has no attachment"),
}


def _listed(items: Sequence[list[Phrase]], joiner: str) -> list[Phrase]:
    """``a``, ``a or b``, ``a, b or c``; set apart by commas where an item is joined itself."""
    joined_inside = any(each.text in _JOINERS for item in items for each in item)
    last_joiner = f", {joiner} " if joined_inside else f" {joiner} "
    phrases: list[Phrase] = []
    for position, item in enumerate(items):
        if position:
            last = position == len(items) - 1
            phrases.append(Phrase(last_joiner if last else ", "))
        phrases += item
    return phrases


_JOINERS = (" or ", " and ", ", ", ", or ", ", and ", " nor ")


def _noun(condition: AnyCondition, *, turned: bool) -> list[Phrase]:
    if isinstance(condition, NamedHeaderCondition):
        lead = "no header field " if turned else "the header field "
        return [Phrase(lead), Phrase(condition.name, strong=True)]
    part = _PART_NOUNS[condition.part] if isinstance(condition, AddressCondition) else ""
    noun = _NOUNS[condition.field]
    if turned:
        noun = _NONE.get(condition.field, noun)
        if condition.field in _SEVERAL:
            noun = f"no {noun.partition(' ')[2]}"
    return [Phrase(noun + part)]


def _verb(condition: AnyCondition, *, turned: bool) -> str:
    test: str = condition.test
    if test == "words" and all(" " not in str(value) for value in condition.values or ()):
        test = "word"
    elif test == "under" and not isinstance(condition, AddressCondition):
        test = "less"
    several = condition.field in (*_SEVERAL, *_NONE) or isinstance(condition, NamedHeaderCondition)
    return _VERBS[test][turned and not several]


def _statement(condition: AnyCondition, *, turned: bool) -> list[Phrase]:
    """What is picked from a few values, as a statement about the message."""
    statements = [_STATEMENTS[condition.field][value] for value in condition.values or ()]
    heads = {each.partition(" is ")[0] for each in statements}
    tails = [each.partition(" is ")[2] for each in statements]
    if len(heads) > 1 or not all(tails) or any(each.startswith("not ") for each in tails):
        said = _listed([[Phrase(each, strong=True)] for each in statements], "or")
        return [Phrase("it is not so that "), *said] if turned else said
    strong = [[Phrase(each, strong=True)] for each in tails]
    joined = _listed(strong, "nor" if turned else "or")
    verb = " is " if not turned else " is not " if len(tails) == 1 else " is neither "
    return [Phrase(heads.pop() + verb), *joined]


def _condition(condition: AnyCondition, *, turned: bool = False) -> list[Phrase]:
    if condition.field in _STATEMENTS:
        return _statement(condition, turned=turned)
    if condition.test == "exists":
        if isinstance(condition, NamedHeaderCondition):
            return [*_noun(condition, turned=turned), Phrase(" is there")]
        return [Phrase(_EXISTS[condition.field][turned])]
    values = [[Phrase(str(value), strong=True)] for value in condition.values or ()]
    exactly: list[Phrase] = []
    if isinstance(condition, TextTestCondition) and condition.case:
        exactly = [Phrase(" (in exactly this case)")]
    noun, verb = _noun(condition, turned=turned), _verb(condition, turned=turned)
    return [*noun, Phrase(f" {verb} "), *_listed(values, "or"), *exactly]


def _test(test: AnyTest, *, nested: bool = False) -> list[Phrase]:
    match test:
        case AllGroup() | AnyGroup():
            return _group(test, nested=nested)
        case NotGroup():
            return _turned(test.not_)
        case Always():
            return [Phrase("any message comes")]
        case _:
            return _condition(test)


def _turned(test: AnyTest) -> list[Phrase]:
    if isinstance(test, AllGroup | AnyGroup | NotGroup | Always):
        return [Phrase("it is not so that "), *_test(test, nested=True)]
    return _condition(test, turned=True)


def _group(test: AllGroup | AnyGroup, *, nested: bool) -> list[Phrase]:
    if len(test.tests) == 1:  # before its inside is made: each level would be made twice
        return _test(test.tests[0], nested=nested)
    inside = [_test(each, nested=True) for each in test.tests]
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


def _every(days: int) -> str:
    once = "once a day" if days == 1 else f"once in {days} days"
    return f"at most {once} to one sender"


_SAID: dict[str, Callable[[Any], list[Phrase]]] = {
    **{name: lambda action: [Phrase(_PLACES[action.do])] for name in _PLACES},
    **{name: lambda action: [Phrase(_MARKS[action.do])] for name in _MARKS},
    "file": lambda action: _strong("file it in ", _spoken(action.folder)),
    "copy": lambda action: _strong("copy it to ", _spoken(action.folder)),
    "label": lambda action: _strong("label it ", action.label),
    "unlabel": lambda action: _strong("take off its label ", action.label),
    "colour": lambda action: _strong("colour it ", action.colour),
    "priority": lambda action: _strong("set its importance to ", action.level),
    "forward": lambda action: [
        Phrase("forward it to "),
        *_listed([[Phrase(each, strong=True)] for each in action.to], "and"),
    ],
    "reply": lambda action: [
        Phrase(f"answer it, {_every(action.every)}, with "),
        Phrase(f"“{action.text}”", strong=True),
    ],
    "notify": lambda action: (
        _strong("tell me with the sound ", action.sound) if action.sound else [Phrase("tell me")]
    ),
}


def _action(action: Action, runs: Sequence[Event]) -> list[Phrase]:
    if action.do == "keep" and "arrival" not in runs:
        return [Phrase("leave it where it is")]
    return _SAID[action.do](action)


def _joined(phrases: list[Phrase]) -> tuple[Phrase, ...]:
    """Neighbours of one kind as one phrase."""
    joined: list[Phrase] = []
    for phrase in phrases:
        if joined and joined[-1].strong == phrase.strong:
            joined[-1] = Phrase(joined[-1].text + phrase.text, phrase.strong)
        else:
            joined.append(phrase)
    return tuple(joined)


def _text(phrases: Sequence[Phrase]) -> str:
    return "".join(phrase.text for phrase in phrases)


def condition_saying(condition: AnyCondition) -> str:
    """One condition in words: "the subject has the word permit"."""
    return _text(_condition(condition))


def test_saying(test: AnyTest) -> str:
    """A test in words."""
    return _text(_test(test))


def action_saying(action: Action) -> str:
    """An action in words: "file it in Moorings / Permits"."""
    return _text(_SAID[action.do](action))


_MAIL: dict[Event, str] = {
    "arrival": "mail that arrives",
    "sent": "mail that I send",
    "daily": "mail that is here, once a day",
    "hand": "mail that I choose",
}


def _mail(runs: Sequence[Event], accounts: Sequence[str]) -> list[Phrase]:
    phrases = _listed([[Phrase(_MAIL[each])] for each in _MAIL if each in runs], "and")
    if accounts:
        named = [[Phrase(each, strong=True)] for each in accounts]
        phrases += [Phrase(" in the account of "), *_listed(named, "or")]
    return phrases


def _lead(runs: Sequence[Event], accounts: Sequence[str]) -> list[Phrase]:
    """Which mail the rule looks at, where that is not all that arrives."""
    if tuple(runs) == ("arrival",) and not accounts:
        return [Phrase("When ")]
    return [Phrase("On "), *_mail(runs, accounts), Phrase(", when ")]


def _takes_all(when: AnyTest) -> bool:
    if isinstance(when, AllGroup | AnyGroup):
        return len(when.tests) == 1 and _takes_all(when.tests[0])
    return isinstance(when, Always)


def sentence(
    when: AnyTest,
    unless: AnyTest | None,
    then: Sequence[Action],
    *,
    stop: bool = False,
    runs: Sequence[Event] = ("arrival",),
    accounts: Sequence[str] = (),
) -> tuple[Phrase, ...]:
    """Say what a rule does; without actions yet, say only which mail it takes."""
    phrases = [*_lead(runs, accounts), *_test(when)]
    if _takes_all(when):
        phrases = [Phrase("With all "), *_mail(runs, accounts)]
    if unless is not None:
        phrases += [Phrase(", unless "), *_test(unless)]
    if then:
        said = [_action(each, runs) for each in then]
        phrases += [Phrase(": "), *_listed(said, "and")]
    if stop:
        phrases.append(Phrase("; no later rule is tried"))
    elif then:
        phrases.append(Phrase("; later rules may still act"))
    return _joined([*phrases, Phrase(".")])


def sentence_of(rule: Rule) -> str:
    """A whole rule as one sentence."""
    said = sentence(
        rule.when,
        rule.unless,
        rule.then,
        stop=rule.stop,
        runs=rule.runs,
        accounts=rule.accounts,
    )
    return _text(said)
