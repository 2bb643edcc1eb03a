"""A rule read back as one English sentence, unambiguous about all, any and unless."""

from collections.abc import Sequence
from typing import assert_never

from mnemic.core.actions import BaseAction
from mnemic.core.events import Event
from mnemic.core.fields import BaseCondition
from mnemic.core.rules.active_days import ActiveDays
from mnemic.core.rules.model import AllGroup, Always, AnyGroup, AnyTest, NotGroup, Rule
from mnemic.core.wording import Phrase, listed, merged, strong, text_of

__all__ = ["Phrase", "condition_saying", "phrases_of", "sentence", "sentence_of", "test_saying"]


def _test(test: AnyTest, *, nested: bool = False) -> list[Phrase]:
    match test:
        case AllGroup() | AnyGroup():
            return _group(test, nested=nested)
        case NotGroup():
            return _turned(test.not_)
        case Always():
            return [Phrase("any message comes")]
        case BaseCondition():
            return test.phrases()
        case _:
            assert_never(test)


def _turned(test: AnyTest) -> list[Phrase]:
    if isinstance(test, BaseCondition):
        return test.phrases(turned=True)
    return [Phrase("it is not so that "), *_test(test, nested=True)]


def _group(test: AllGroup | AnyGroup, *, nested: bool) -> list[Phrase]:
    if len(test.tests) == 1:  # before its inside is made: each level would be made twice
        return _test(test.tests[0], nested=nested)
    inside = [_test(inner, nested=True) for inner in test.tests]
    every = isinstance(test, AllGroup)
    joined = listed(inside, "and" if every else "or")
    if not nested:
        return joined
    if len(inside) > 2:
        lead = "all of: " if every else "any of: "
    else:
        lead = "both " if every else "either "
    return [Phrase(f"({lead}"), *joined, Phrase(")")]


def condition_saying(condition: BaseCondition) -> str:
    """One condition in words: "the subject has the word permit"."""
    return text_of(condition.phrases())


def test_saying(test: AnyTest) -> str:
    """A test in words."""
    return text_of(_test(test))


_MAIL: dict[Event, str] = {
    "arrival": "mail that arrives",
    "sent": "mail that I send",
    "daily": "mail that is here, once a day",
    "hand": "mail that I choose",
}


def _mail(runs: Sequence[Event], accounts: Sequence[str]) -> list[Phrase]:
    phrases = listed([[Phrase(_MAIL[event])] for event in _MAIL if event in runs], "and")
    if accounts:
        phrases += [Phrase(" in the account of "), *listed(strong(accounts), "or")]
    return phrases


def _usual(runs: Sequence[Event], accounts: Sequence[str]) -> bool:
    return tuple(runs) == ("arrival",) and not accounts


def _mail_of_days(
    runs: Sequence[Event], accounts: Sequence[str], active: ActiveDays | None
) -> list[Phrase]:
    """Which mail the rule looks at."""
    if active is None:
        return _mail(runs, accounts)
    days = [Phrase("received "), Phrase(active.saying, strong=True)]
    if _usual(runs, accounts):
        return [Phrase("mail "), *days]
    return [*_mail(runs, accounts), Phrase(", "), *days]


def _takes_all(when: AnyTest) -> bool:
    if isinstance(when, AllGroup | AnyGroup):
        return len(when.tests) == 1 and _takes_all(when.tests[0])
    return isinstance(when, Always)


def sentence(
    when: AnyTest,
    unless: AnyTest | None,
    then: Sequence[BaseAction],
    *,
    stop: bool = False,
    runs: Sequence[Event] = ("arrival",),
    accounts: Sequence[str] = (),
    active: ActiveDays | None = None,
) -> tuple[Phrase, ...]:
    """Say what a rule does; without actions yet, say only which mail it takes."""
    mail = _mail_of_days(runs, accounts, active)
    if _takes_all(when):
        phrases = [Phrase("With all "), *mail]
    elif active is None and _usual(runs, accounts):
        phrases = [Phrase("When "), *_test(when)]
    else:
        phrases = [Phrase("On "), *mail, Phrase(", when "), *_test(when)]
    if unless is not None:
        phrases += [Phrase(", unless "), *_test(unless)]
    if then:
        said = [action.phrases(runs) for action in then]
        phrases += [Phrase(": "), *listed(said, "and")]
    if stop:
        phrases.append(Phrase("; no later rule is tried"))
    elif then:
        phrases.append(Phrase("; later rules may still act"))
    return merged([*phrases, Phrase(".")])


def phrases_of(rule: Rule) -> tuple[Phrase, ...]:
    """A whole rule as the pieces of one sentence."""
    return sentence(
        rule.when,
        rule.unless,
        rule.then,
        stop=rule.stop,
        runs=rule.runs,
        accounts=rule.accounts,
        active=rule.active,
    )


def sentence_of(rule: Rule) -> str:
    """A whole rule as one sentence."""
    return text_of(phrases_of(rule))
