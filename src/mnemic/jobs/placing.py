"""Carrying an outcome out: the message's place, its labels and its trail."""

from collections.abc import Mapping
from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core import Event, Outcome
from mnemic.core.actions import FileAction, LabelAction
from mnemic.core.outcome import RuleTrail
from mnemic.jobs.excerpts import evidence_of
from mnemic.store.folders import ensure_folder, inbox_id
from mnemic.store.labels import ensure_label, put_labels
from mnemic.store.tables import MessageRow
from mnemic.store.trail import TrailEntry, add_entry

__all__ = ["Placed", "Run", "carry_out", "destination", "label", "write_trail"]


@dataclass(frozen=True, slots=True)
class Run:
    """What a run knows beside the message: event, time (seconds since 1970) and rule ids."""

    event: Event
    at: int
    rule_ids: Mapping[int, int]  # by the rule's place in the line that was run


@dataclass(frozen=True, slots=True)
class Placed:
    """What an outcome changed."""

    moved: bool
    labelled: bool


def _entry(message_id: int, rule: RuleTrail, run: Run) -> TrailEntry:
    acted = [each.action for each in rule.actions if each.overruled_by is None]
    folders = [action.folder for action in acted if isinstance(action, FileAction)]
    return TrailEntry(
        message_id=message_id,
        rule_id=run.rule_ids[rule.position],
        rule_name=rule.name,
        event=run.event,
        at=run.at,
        folder=folders[0] if folders else None,
        labels=tuple(action.label for action in acted if isinstance(action, LabelAction)),
        evidence=tuple(evidence_of(rule.when)),
    )


def destination(session: Session, outcome: Outcome) -> int | None:
    """The folder an outcome puts the message in, made where it is missing; None: it stays."""
    if outcome.place == "inbox":
        return inbox_id(session)
    return None if outcome.folder is None else ensure_folder(session, outcome.folder)


def label(session: Session, message_id: int, outcome: Outcome) -> bool:
    """Put the outcome's labels on the message; whether one of them was new to it."""
    labels = [ensure_label(session, name) for name in outcome.labels]
    return put_labels(session, message_id, labels)


def write_trail(session: Session, message_id: int, outcome: Outcome, run: Run) -> None:
    """Write down what each rule that took the message did."""
    for rule in outcome.takers:
        add_entry(session, _entry(message_id, rule, run))


def carry_out(session: Session, row: MessageRow, outcome: Outcome, run: Run) -> Placed:
    """Do to a message that is here what the outcome says.

    The trail is written where something changed: a second catch-up adds nothing to it.
    """
    assert row.id is not None  # noqa: S101 -- the row comes from the store
    folder_id = destination(session, outcome)
    moved = folder_id is not None and row.folder_id != folder_id
    if moved and folder_id is not None:
        row.folder_id = folder_id
    labelled = label(session, row.id, outcome)
    if moved or labelled:
        write_trail(session, row.id, outcome, run)
    return Placed(moved, labelled)
