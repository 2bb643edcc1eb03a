"""What of the rule document the mailbox can't carry out yet, though the core decides it."""

from collections.abc import Iterator

from mnemic.core import Problem, Rule
from mnemic.core.rules import AllGroup, AnyGroup, AnyTest, NotGroup

__all__ = ["mailbox_problems"]

#: Actions that are carried out; ``mnemic sort`` decides all of them.
_ACTIONS = ("file", "keep", "label")

#: Fields for which the mailbox knows nothing yet: it has no accounts, contacts and flags.
_FIELDS = ("addressed", "contact", "account", "flagged")

_EVENTS = ("arrival", "hand")


def _inside(test: AnyTest, path: str) -> Iterator[Problem]:
    match test:
        case AllGroup() | AnyGroup():
            key = "all" if isinstance(test, AllGroup) else "any"
            for position, each in enumerate(test.tests):
                yield from _inside(each, f"{path}.{key}[{position}]")
        case NotGroup():
            yield from _inside(test.not_, f"{path}.not")
        case _:
            field = getattr(test, "field", "")
            if field in _FIELDS:
                message = f"the mailbox does not know “{field}” yet; “mnemic sort” does"
                yield Problem(f"{path}.field", message)


def mailbox_problems(rule: Rule) -> list[Problem]:
    """Everything in a rule that would not happen, so that it is refused instead of ignored."""
    problems = list(_inside(rule.when, "when"))
    if rule.unless is not None:
        problems += _inside(rule.unless, "unless")
    for position, action in enumerate(rule.then):
        if action.do not in _ACTIONS:
            message = f"the mailbox can’t do “{action.do}” yet; “mnemic sort” says what it would do"
            problems.append(Problem(f"then[{position}].do", message))
    for position, event in enumerate(rule.runs):
        if event not in _EVENTS:
            problems.append(Problem(f"runs[{position}]", f"nothing runs rules on “{event}” yet"))
    return problems
