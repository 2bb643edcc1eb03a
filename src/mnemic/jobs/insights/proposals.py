"""Proposals of rules, from what the owner does by hand and from what waits."""

from collections.abc import Callable
from datetime import datetime

from sqlmodel import Session

from mnemic.core.proposals import Proposal, propose, propose_for_waiting, surest_first
from mnemic.jobs.insights.habits import habits_of_owner
from mnemic.jobs.insights.learnt_mail import MailboxMail
from mnemic.jobs.insights.waiting import waiting_groups
from mnemic.store.owner.turned_away import is_turned_away, turn_away, turned_away

__all__ = ["evidence_for", "proposals_for_owner", "turn_proposal_away"]


def proposals_for_owner(
    session: Session, *, now: datetime, check: Callable[[], None] = lambda: None
) -> list[Proposal]:
    """Every rule that is worth a look and was not turned away, the surest first.

    ``check`` is called now and then; what it raises ends the work.
    """
    habits = habits_of_owner(session)
    mail = MailboxMail(session, now, check)
    line = mail.standing()
    by_hand = propose(habits, mail, line, check)
    waits = propose_for_waiting(waiting_groups(session, mail, now), line)
    before = turned_away(session)
    return [
        proposal for proposal in surest_first([*by_hand, *waits]) if not _is_away(proposal, before)
    ]


def evidence_for(proposal: Proposal) -> int:
    """How much speaks for it: acts, or messages that wait."""
    return (proposal.counted.did if proposal.why == "by hand" else proposal.counted.of).bit_count()


def _is_away(proposal: Proposal, before: dict[str, int]) -> bool:
    return is_turned_away(before, proposal.key, evidence_for(proposal))


def turn_proposal_away(session: Session, proposal: Proposal) -> None:
    """Keep a proposal away until its evidence has doubled."""
    turn_away(session, proposal.key, evidence_for(proposal))
