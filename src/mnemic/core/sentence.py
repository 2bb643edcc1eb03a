"""A rule read back as one English sentence, unambiguous about all, any and unless."""

from collections.abc import Sequence
from dataclasses import dataclass

from mnemic.core.actions import Action, FileAction, KeepAction
from mnemic.core.conditions import AddressCondition, Condition
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup

__all__ = ["Phrase", "sentence"]


@dataclass(frozen=True, slots=True)
class Phrase:
    """A piece of the sentence; ``strong`` marks what the owner filled in."""

    text: str
    strong: bool = False


_HEADER_NOUNS = {
    "from": "the sender",
    "sender": "the Sender field",
    "reply_to": "the reply address",
    "to": "an address in To",
    "cc": "an address in Cc",
    "bcc": "an address in Bcc",
    "recipient": "a recipient",
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
_TEXT_NOUNS = {"subject": "the subject", "body": "the text", "text": "the subject or the text"}

_VERBS = {
    "contains": "contains",
    "words": "has the words",
    "is": "is",
    "begins": "begins with",
    "ends": "ends with",
    "wildcard": "looks like",
    "regex": "matches the pattern",
    "under": "is or is below",
}


def _listed(items: Sequence[list[Phrase]], joiner: str) -> list[Phrase]:
    """``a``, ``a or b``, ``a, b or c``."""
    phrases: list[Phrase] = []
    for position, item in enumerate(items):
        if position:
            last = position == len(items) - 1
            phrases.append(Phrase(f" {joiner} " if last else ", "))
        phrases += item
    return phrases


def _condition(condition: Condition) -> list[Phrase]:
    if isinstance(condition, AddressCondition):
        noun = _HEADER_NOUNS[condition.field] + _PART_NOUNS[condition.part]
    else:
        noun = _TEXT_NOUNS[condition.field]
    values = [[Phrase(value, strong=True)] for value in condition.values]
    verb = _VERBS[condition.test]
    if condition.test == "words" and all(" " not in value for value in condition.values):
        verb = "has the word"
    exactly = [Phrase(" (in exactly this case)")] if condition.case else []
    return [Phrase(f"{noun} {verb} "), *_listed(values, "or"), *exactly]


def _test(test: AnyTest, *, nested: bool = False) -> list[Phrase]:
    match test:
        case AllGroup() | AnyGroup():
            inside = [_test(each, nested=len(test.tests) > 1) for each in test.tests]
            if len(inside) == 1:
                return inside[0]
            joined = _listed(inside, "and" if isinstance(test, AllGroup) else "or")
            lead = "both " if isinstance(test, AllGroup) else "either "
            if len(inside) > 2:
                lead = "all of: " if isinstance(test, AllGroup) else "any of: "
            return [Phrase(f"({lead}"), *joined, Phrase(")")] if nested else joined
        case NotGroup():
            return [Phrase("it is not so that "), *_test(test.not_, nested=True)]
        case Always():
            return [Phrase("any message comes")]
        case _:
            return _condition(test)


def _action(action: Action) -> list[Phrase]:
    if isinstance(action, FileAction):
        return [Phrase("file it in "), Phrase(action.folder.replace("/", " / "), strong=True)]
    if isinstance(action, KeepAction):
        return [Phrase("keep it in the inbox")]
    return [Phrase("label it "), Phrase(action.label, strong=True)]


def _joined(phrases: list[Phrase]) -> tuple[Phrase, ...]:
    """Neighbours of one kind as one phrase."""
    joined: list[Phrase] = []
    for phrase in phrases:
        if joined and joined[-1].strong == phrase.strong:
            joined[-1] = Phrase(joined[-1].text + phrase.text, phrase.strong)
        else:
            joined.append(phrase)
    return tuple(joined)


def sentence(
    when: AnyTest, unless: AnyTest | None, then: Sequence[Action], *, stop: bool = False
) -> tuple[Phrase, ...]:
    """Say what a rule does; without actions yet, say only which mail it takes."""
    phrases = [Phrase("When "), *_test(when)]
    if unless is not None:
        phrases += [Phrase(", unless "), *_test(unless)]
    if then:
        phrases += [Phrase(": "), *_listed([_action(each) for each in then], "and")]
    if stop:
        phrases.append(Phrase("; no later rule is tried"))
    return _joined([*phrases, Phrase(".")])
