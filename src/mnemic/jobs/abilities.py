"""What of the rule document the mailbox can't carry out yet, though the core decides it."""

from mnemic.core import Problem, Rule

__all__ = ["mailbox_problems"]

#: Events on which something runs rules here.
_EVENTS = ("arrival", "sent", "hand")


def mailbox_problems(rule: Rule) -> list[Problem]:
    """Everything in a rule that would not happen, so that it is refused instead of ignored."""
    return [
        Problem(f"runs[{position}]", f"nothing runs rules on “{event}” yet")
        for position, event in enumerate(rule.runs)
        if event not in _EVENTS
    ]
