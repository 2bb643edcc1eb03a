"""The demo: the mailbox of a made-up office, and rules that stand ready."""

import shutil
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path

from sqlmodel import Session

from mnemic.core import Envelope, MnemicError, parse_message, read_rule_document
from mnemic.core.actions import FileAction
from mnemic.demo.generator import DemoMessage, generate
from mnemic.jobs import take_in
from mnemic.store import Database
from mnemic.store.folders import ensure_folder
from mnemic.store.mailbox import count_messages
from mnemic.store.rules import StoredRule, add_rule

__all__ = ["DemoFolderError", "DemoMessage", "generate", "load_demo"]

#: Lies beside a database that the demo made, so that a reset never deletes anybody's own mail.
_MARK = "made-by-demo"


class DemoFolderError(MnemicError):
    """The folder holds mail that the demo did not make."""


def _add_rules(session: Session) -> list[StoredRule]:
    document = read_rule_document(files("mnemic.demo").joinpath("rules.json").read_bytes())
    for rule in document.rules:
        for action in rule.then:
            if isinstance(action, FileAction):
                ensure_folder(session, action.folder)
    return [add_rule(session, rule) for rule in document.rules]


def _fill(session: Session, now: datetime) -> int:
    """Make everything, in one transaction: a demo that was interrupted begins anew."""
    if count_messages(session):
        return 0
    rules, made = _add_rules(session), generate(now)
    for each in made:
        message = parse_message(each.octets, Envelope(None, each.recipients))
        take_in(session, message, received=each.received, seen=each.seen, rules=rules)
    return len(made)


def load_demo(path: Path, *, reset: bool = False, now: datetime | None = None) -> int:
    """Make the demo mailbox in the database at ``path``; how many messages were made.

    A mailbox that is there is kept, unless ``reset`` is set. Raises DemoFolderError where it
    was not made by the demo.
    """
    mark = path.parent / _MARK
    if path.exists() and not mark.exists():
        raise DemoFolderError(
            f"{path.parent} holds mail that the demo did not make; nothing was changed. "
            "Set MNEMIC_DATA to another folder for the demo, or use “mnemic serve”"
        )
    if path.exists() and reset:
        shutil.rmtree(path.parent)
    path.parent.mkdir(parents=True, exist_ok=True)
    mark.touch()
    database = Database(path)
    try:
        with database.writing() as session:
            return _fill(session, now or datetime.now(UTC))
    finally:
        database.close()
