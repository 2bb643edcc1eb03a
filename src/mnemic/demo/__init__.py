"""The demo: the mailbox of a made-up office, and rules that stand ready."""

import shutil
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path

from pydantic import TypeAdapter
from sqlmodel import Session

from mnemic.core import Envelope, MnemicError, parse_message, read_rule_document
from mnemic.core.actions import Action, BaseAction, FileAction
from mnemic.core.message.addresses import parse_addresses
from mnemic.core.search import understand
from mnemic.demo.generator import DemoMessage, generate, office
from mnemic.jobs.intake.arrival import Intake
from mnemic.jobs.people.acts import act
from mnemic.post.vcard import card_of
from mnemic.store import Database
from mnemic.store.journal.runs import make_lasting
from mnemic.store.line.rules import StoredRule, add_rule
from mnemic.store.mail.folders import ensure_folder, look_into, set_look_in
from mnemic.store.mail.listing import count_messages
from mnemic.store.mail.messages import message_row
from mnemic.store.owner.accounts import Account, change_account
from mnemic.store.owner.contacts import Contact, change_contact
from mnemic.store.search.selection import Selection, selected_ids

__all__ = ["DemoFolderError", "DemoMessage", "add_rules", "generate", "load_demo", "office"]

_DAY = 86_400

#: Lies beside a database that the demo made, so that a reset never deletes anybody's own mail.
_MARK = "made-by-demo"


class DemoFolderError(MnemicError):
    """The folder holds mail that the demo did not make."""


def add_rules(session: Session) -> list[StoredRule]:
    """Put the demo's rules in the line, and make the folders they name."""
    document = read_rule_document(files("mnemic.demo").joinpath("rules.json").read_bytes())
    for rule in document.rules:
        for action in rule.then:
            if isinstance(action, FileAction):
                ensure_folder(session, action.folder)
    return [add_rule(session, rule) for rule in document.rules]


def _add_people(session: Session) -> None:
    plan = office()
    owner = parse_addresses(plan["owner"])[0]
    aliases = tuple(plan["aliases"])
    change_account(session, Account(0, "Trust office", owner.address, aliases))
    for listed in plan["people"][::2] + plan["colleagues"]:
        (person,) = parse_addresses(listed)
        card = card_of(person.name, [person.address])
        change_contact(session, Contact(0, person.name, (person.address,), card))


def _live_in(session: Session, now: datetime) -> None:
    """Look-ins, and what the owner did by hand; the undo key leaves that alone."""
    plan, at = office(), int(now.timestamp())
    for item in plan["look_ins"]:
        folder_id = ensure_folder(session, item["folder"])
        set_look_in(session, folder_id, item["days"], at=at)
        look_into(session, folder_id, at=at - item["looked"] * _DAY)
    for item in plan["by_hand"]:
        search = understand(item["find"], now.date()).test
        action = TypeAdapter[BaseAction](Action).validate_python(item["do"])
        done = act(session, Selection(search=search), action, at=at - _DAY)
        if done.run_id is not None:
            make_lasting(session, done.run_id)


def _do_by_hand(session: Session, now: datetime) -> None:
    """What the owner does again and again, message by message, on the day after it came.

    The newest of the mail a search finds; one of them is left.
    """
    for habit in office()["habits"]:
        search = understand(habit["find"], now.date()).test
        action = TypeAdapter[BaseAction](Action).validate_python(habit["do"])
        ids = selected_ids(session, Selection(search=search))
        for message_id in ids[-habit["newest"] :]:
            row = message_row(session, message_id)
            if row is None or message_id in ids[-habit["left"] :][:1]:
                continue
            at = min(row.received_at + _DAY, int(now.timestamp()) - _DAY)
            done = act(session, Selection(ids=(message_id,)), action, at=at)
            if done.run_id is not None:
                make_lasting(session, done.run_id)


def _fill(session: Session, now: datetime) -> int:
    """Make everything, in one transaction: a demo that was interrupted begins anew."""
    if count_messages(session):
        return 0
    _add_people(session)
    intake, made = Intake(session, now, add_rules(session)), generate(now)
    for made_rule in made:
        message = parse_message(made_rule.octets, Envelope(None, made_rule.recipients))
        intake.take_in(
            message, received=made_rule.received, seen=made_rule.seen, at=made_rule.received
        )
    _live_in(session, now)
    _do_by_hand(session, now)
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
