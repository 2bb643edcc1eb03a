"""What differs between two versions of a rule, in words."""

from collections.abc import Iterator

from mnemic.core.rules.model import AnyTest, Rule
from mnemic.core.rules.sentence import test_saying

__all__ = ["changes_between"]

_RUNS = {
    "arrival": "as mail arrives",
    "sent": "on mail I send",
    "daily": "once a day",
    "hand": "when I ask",
}


def _runs(rule: Rule) -> str:
    return ", ".join(_RUNS[run] for run in rule.runs)


def _days(rule: Rule) -> str:
    return "all" if rule.active is None else rule.active.saying


def _listed(accounts: tuple[str, ...]) -> str:
    return ", ".join(accounts) or "all accounts"


def _said(test: AnyTest | None) -> str:
    return "nothing" if test is None else test_saying(test)


def changes_between(old: Rule, new: Rule) -> tuple[str, ...]:
    """Each change as a short statement, in the order in which a rule is read; none where equal."""
    return tuple(_changes(old, new))


def _changes(old: Rule, new: Rule) -> Iterator[str]:
    if old.name != new.name:
        yield f"Name: “{new.name}” instead of “{old.name}”"
    if old.enabled != new.enabled:
        yield "Switched on" if new.enabled else "Switched off"
    if old.when != new.when:
        yield f"When: {test_saying(new.when)}; before: {test_saying(old.when)}"
    if old.unless != new.unless:
        yield f"Unless: {_said(new.unless)}; before: {_said(old.unless)}"
    before, after = ([action.saying for action in rule.then] for rule in (old, new))
    yield from (f"Then, new: {saying}" for saying in after if saying not in before)
    yield from (f"Then, no longer: {saying}" for saying in before if saying not in after)
    if old.stop != new.stop:
        yield "Afterwards no later rule is tried" if new.stop else "Later rules may act again"
    if set(old.runs) != set(new.runs):
        yield f"Runs {_runs(new)}; before: {_runs(old)}"
    if old.active != new.active:
        yield f"Days: {_days(new)}; before: {_days(old)}"
    if set(old.accounts) != set(new.accounts):
        yield f"For {_listed(new.accounts)}; before: {_listed(old.accounts)}"
