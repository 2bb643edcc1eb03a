"""Catch-up: a rule applied to mail already received."""

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlmodel import Session

from mnemic.core import Given, through_rules
from mnemic.jobs.changes import Changes
from mnemic.jobs.circumstances import MailboxCircumstances
from mnemic.jobs.placing import Run, write_trail
from mnemic.store.journal import begin_run, finish_run
from mnemic.store.mailbox import message_ids
from mnemic.store.message_views import stored_messages
from mnemic.store.rules import StoredRule

__all__ = ["CatchUp", "catch_up"]


@dataclass(frozen=True, slots=True)
class CatchUp:
    """How many messages a catch-up looked at, took, moved, labelled, marked, and found in order."""

    examined: int
    taken: int
    moved: int
    labelled: int
    marked: int
    unchanged: int


def catch_up(session: Session, stored: StoredRule, *, at: int) -> CatchUp:
    """Apply one rule to every message here, as when its owner runs it by hand.

    ``at`` is the time in seconds since 1970-01-01 UTC, for the trail. A rule that is switched off
    or runs on arrival alone is applied all the same: its owner asked for it. Nothing goes outside
    for mail that came in long ago: no forward, no reply, no sound.
    """
    rule = stored.rule.model_copy(update={"enabled": True, "runs": ("hand",)})
    run = Run("hand", at, {0: stored.id})
    around = MailboxCircumstances(session, datetime.fromtimestamp(at, UTC))
    changes = Changes(session)
    run_id = begin_run(session, at=at, actor="rules", rule_id=stored.id)
    examined = taken = unchanged = 0
    for message in stored_messages(session, message_ids(session)):
        examined += 1
        received = message.received or datetime.fromtimestamp(at, UTC)
        given = Given(message.state, around.of(received, message.id))
        outcome = through_rules([rule], message, "hand", given)
        if not outcome.taken_by:
            continue
        taken += 1
        changed = changes.gather(message, outcome)
        if changed:
            write_trail(session, message.id, outcome, run)
        unchanged += not changed
    changes.make(run_id, at=at)
    finish_run(session, run_id, f"Catch-up with “{rule.name}”")
    return CatchUp(examined, taken, changes.moved, changes.labelled, changes.marked, unchanged)
