"""Labels that rules name are labels before any message bears one: keywords may be theirs."""

from collections.abc import Iterator

from sqlmodel import Session

from mnemic.core.actions import LabelAction, UnlabelAction
from mnemic.core.rules import named_places
from mnemic.store import Database
from mnemic.store.line.rules import list_rules
from mnemic.store.mail.labels import ensure_label, label_called

__all__ = ["make_named_labels"]


def _named(session: Session) -> Iterator[str]:
    for stored in list_rules(session):
        for action in stored.rule.then:
            if isinstance(action, LabelAction | UnlabelAction):
                yield action.label
        for test in (stored.rule.when, stored.rule.unless):
            yield from named_places(test, "label")


def make_named_labels(database: Database) -> None:
    """Make the labels that rules name and that are not here yet."""
    with database.reading() as session:
        missing = [name for name in _named(session) if label_called(session, name) is None]
    if missing:
        with database.writing() as session:
            for name in missing:
                ensure_label(session, name)
