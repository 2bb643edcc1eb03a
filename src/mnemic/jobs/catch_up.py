"""Catch-up: a rule applied to mail already received."""

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlmodel import Session

from mnemic.core import Circumstances, Given, through_rules
from mnemic.jobs.placing import Run, carry_out
from mnemic.store.mailbox import message_ids
from mnemic.store.message_views import stored_messages
from mnemic.store.rules import StoredRule

__all__ = ["CatchUp", "catch_up"]


@dataclass(frozen=True, slots=True)
class CatchUp:
    """How many messages a catch-up looked at, took, moved, labelled and found in order already."""

    examined: int
    taken: int
    moved: int
    labelled: int
    unchanged: int


def catch_up(session: Session, stored: StoredRule, *, at: int) -> CatchUp:
    """Apply one rule to every message here, as when its owner runs it by hand.

    ``at`` is the time in seconds since 1970-01-01 UTC, for the trail. A rule that is switched off
    or runs on arrival alone is applied all the same: its owner asked for it.
    """
    rule = stored.rule.model_copy(update={"enabled": True, "runs": ("hand",), "accounts": ()})
    run = Run("hand", at, {0: stored.id})
    circumstances = Circumstances(now=datetime.fromtimestamp(at, UTC))
    examined = taken = moved = labelled = unchanged = 0
    for message in stored_messages(session, message_ids(session)):
        examined += 1
        outcome = through_rules([rule], message, "hand", Given(message.state, circumstances))
        if not outcome.taken_by:
            continue
        taken += 1
        placed = carry_out(session, message.row, outcome, run)
        moved += placed.moved
        labelled += placed.labelled
        unchanged += not (placed.moved or placed.labelled)
    return CatchUp(examined, taken, moved, labelled, unchanged)
