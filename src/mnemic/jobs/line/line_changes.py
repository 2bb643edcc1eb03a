"""Changes of the line by a person: each is a run in the journal, and can be undone."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.actions.effect import needed_for
from mnemic.core.rules import named_places
from mnemic.store.journal.rows import all_row_values, record_row, record_rows, row_values
from mnemic.store.journal.runs import begin_run, finish_run
from mnemic.store.line.rules import (
    StoredRule,
    add_rule,
    delete_rule,
    get_rule,
    list_rules,
    reorder_rules,
    replace_rule,
)
from mnemic.store.mail.folders import ensure_folder, folder_paths
from mnemic.store.mail.labels import ensure_label, label_called

__all__ = [
    "LineChange",
    "change_rule",
    "copy_rules",
    "delete_rules",
    "make_places_of",
    "make_rule",
    "move_rules",
    "switch_rules",
    "take_rules",
]


@dataclass(frozen=True, slots=True)
class LineChange:
    """What was done to the line: the run that undoes it (None: nothing changed), and in words."""

    run_id: int | None
    saying: str
    rules: tuple[StoredRule, ...] = ()


class _Recording:
    """Writes down how rows of rules, folders and labels were before a change, and are after it."""

    def __init__(self, session: Session, at: int) -> None:
        self._session = session
        self.run_id = begin_run(session, at=at, actor="person")
        self._rules = all_row_values(session, "rule")
        self._folders = set(folder_paths(session))

    def make_places(self, rule: Rule) -> None:
        """Make the folders and labels that a rule names, so that they can be seen from now on."""
        for action in rule.then:
            needed = needed_for(action.effect("arrival"))
            if needed is None:
                continue
            if needed.what == "folder":
                ensure_folder(self._session, needed.name)
            else:
                self._make_label(needed.name)

    def make_named(self, rule: Rule) -> None:
        """The same for what its conditions name."""
        for test in (rule.when, rule.unless):
            for path in named_places(test, "folder"):
                ensure_folder(self._session, path)
            for name in named_places(test, "label"):
                self._make_label(name)

    def _make_label(self, name: str) -> None:
        if not label_called(self._session, name):
            made = ensure_label(self._session, name)
            record_row(self._session, self.run_id, "label", made, None)

    def done(self, saying: str, rules: Iterable[StoredRule] = ()) -> LineChange:
        """Write down what has changed."""
        session = self._session
        for folder in sorted(set(folder_paths(session)) - self._folders):
            record_row(session, self.run_id, "folder", folder, None)
        record_rows(session, self.run_id, "rule", self._rules)
        changed = finish_run_of_rows(session, self.run_id, saying)
        return LineChange(self.run_id if changed else None, saying, tuple(rules))


def finish_run_of_rows(session: Session, run_id: int, saying: str) -> bool:
    """Finish a run that changed rows alone; whether it changed any."""
    finish_run(session, run_id, saying)
    return row_values(session, "run", run_id) is not None


def make_rule(session: Session, rule: Rule, *, at: int) -> LineChange:
    """Put a new rule at the end of the line, with the folders and labels it names."""
    recording = _Recording(session, at)
    recording.make_places(rule)
    return recording.done(f"Rule “{rule.name}” made", [add_rule(session, rule)])


def change_rule(session: Session, rule_id: int, rule: Rule, *, at: int) -> LineChange | None:
    """Save a rule in place of the one with that id; None where there is no such rule."""
    recording = _Recording(session, at)
    stored = replace_rule(session, rule_id, rule)
    if stored is None:
        return None
    recording.make_places(rule)
    return recording.done(f"Rule “{rule.name}” changed", [stored])


def _named(rules: Sequence[StoredRule]) -> str:
    return f"Rule “{rules[0].rule.name}”" if len(rules) == 1 else f"{len(rules)} rules"


def _on(session: Session, ids: Iterable[int]) -> list[StoredRule]:
    return [stored for stored in (get_rule(session, key) for key in ids) if stored is not None]


def switch_rules(session: Session, ids: Iterable[int], *, on: bool, at: int) -> LineChange:
    """Switch rules on or off."""
    recording, rules = _Recording(session, at), _on(session, ids)
    for stored in rules:
        replace_rule(session, stored.id, stored.rule.model_copy(update={"enabled": on}))
    return recording.done(f"{_named(rules)} switched {'on' if on else 'off'}", rules)


def delete_rules(session: Session, ids: Iterable[int], *, at: int) -> LineChange:
    """Delete rules; mail stays where it is."""
    recording, rules = _Recording(session, at), _on(session, ids)
    for rule in rules:
        delete_rule(session, rule.id)
    return recording.done(f"{_named(rules)} deleted")


def copy_rules(session: Session, ids: Iterable[int], *, at: int) -> LineChange:
    """Put a copy of each rule right below it, switched off until its owner has looked at it."""
    recording, rules = _Recording(session, at), _on(session, ids)
    order, made = [stored.id for stored in list_rules(session)], []
    for original in rules:
        copied = {"name": f"{original.rule.name}, copy", "enabled": False}
        made.append(add_rule(session, original.rule.model_copy(update=copied)))
        order.insert(order.index(original.id) + 1, made[-1].id)
    reorder_rules(session, order)
    return recording.done(f"{_named(rules)} copied", made)


def move_rules(session: Session, ids: list[int], *, at: int) -> LineChange | None:
    """Put the rules in this order; None, and nothing changes, unless it names each one once."""
    recording = _Recording(session, at)
    if not reorder_rules(session, ids):
        return None
    return recording.done("Rules put in another order")


def make_places_of(session: Session, rule: Rule, *, at: int) -> LineChange:
    """Make the folders and labels again that a rule names."""
    recording = _Recording(session, at)
    recording.make_places(rule)
    recording.make_named(rule)
    return recording.done(f"What “{rule.name}” names made again")


def take_rules(
    session: Session, added: Iterable[Rule], changed: Mapping[int, Rule], *, at: int
) -> LineChange:
    """Put new rules at the end of the line, and others in place of those with these ids."""
    recording = _Recording(session, at)
    made = [add_rule(session, new) for new in added]
    for rule_id, rule in changed.items():
        replace_rule(session, rule_id, rule)
    for new in [*(stored.rule for stored in made), *changed.values()]:
        recording.make_places(new)
    saying = f"Rule document taken in: {len(made)} added, {len(changed)} changed"
    return recording.done(saying, made)
