"""Offers: a rule for what the owner has just done by hand for the third time, asked once."""

from datetime import datetime

from sqlmodel import Session

from mnemic.core.proposals import Proposal
from mnemic.core.proposals.habits import MOST_SELECTED
from mnemic.core.proposals.message_set import set_of
from mnemic.core.proposals.offering import offer
from mnemic.jobs.insights.habits import habits_of_owner
from mnemic.jobs.insights.learnt_mail import MailboxMail
from mnemic.store.journal.history import changes_of_run
from mnemic.store.owner.turned_away import turn_away, turned_away

__all__ = ["note_offer", "offer_after"]


def offer_after(session: Session, run_id: int, *, now: datetime) -> Proposal | None:
    """What is offered after a run of the owner's; None where nothing is, or where it was before."""
    done = {change.message_id for change in changes_of_run(session, run_id, messages=MOST_SELECTED)}
    messages = set_of(done)
    habits = [habit for habit in habits_of_owner(session, like=run_id) if habit.did & messages]
    if not habits:
        return None
    mail = MailboxMail(session, now)
    before = turned_away(session)
    for habit in habits:
        offered = offer(habit, mail, habit.did & messages, mail.standing)
        if offered is not None and not {offered.key, _asked(offered)} & set(before):
            return offered
    return None


def note_offer(session: Session, offered: Proposal) -> None:
    """It was offered, and is not offered again."""
    turn_away(session, _asked(offered), offered.counted.did.bit_count())


def _asked(proposal: Proposal) -> str:
    return f"offered {proposal.key}"
