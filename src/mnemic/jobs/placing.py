"""Carrying an outcome out: the message's place, its labels and its trail."""

from collections.abc import Mapping
from dataclasses import dataclass

from sqlmodel import Session

from mnemic.core import Event, Outcome
from mnemic.core.actions import FileAction, LabelAction
from mnemic.core.outcome import RuleTrail
from mnemic.jobs.excerpts import evidence_of
from mnemic.store.folders import ensure_folder
from mnemic.store.labels import ensure_label, put_labels
from mnemic.store.tables import MessageRow
from mnemic.store.trail import TrailEntry, add_entry

__all__ = ["Circumstances", "Placed", "carry_out"]


@dataclass(frozen=True, slots=True)
class Circumstances:
    """What a run knows beside the message: event, time (seconds since 1970) and rule ids."""

    event: Event
    at: int
    rule_ids: Mapping[int, int]  # by the rule's place in the line that was run


@dataclass(frozen=True, slots=True)
class Placed:
    """What an outcome changed."""

    moved: bool
    labelled: bool


def _entry(message_id: int, rule: RuleTrail, run: Circumstances) -> TrailEntry:
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


def carry_out(session: Session, row: MessageRow, outcome: Outcome, run: Circumstances) -> Placed:
    """Do what the outcome says; the trail is written where a rule changed something.

    On arrival every rule that took the message is written down, since its work is done then.
    """
    assert row.id is not None  # noqa: S101 -- the row comes from the store
    moved = False
    if outcome.place == "folder" and outcome.folder is not None:
        folder_id = ensure_folder(session, outcome.folder)
        moved = row.folder_id != folder_id
        row.folder_id = folder_id
    labels = {ensure_label(session, name) for name in outcome.labels}
    labelled = put_labels(session, row.id, labels)
    if moved or labelled or run.event == "arrival":
        for rule in outcome.taken_by:
            add_entry(session, _entry(row.id, rule, run))
    return Placed(moved, labelled)
