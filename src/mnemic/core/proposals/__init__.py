"""Rules proposed from what the owner does by hand: pure, given mail and what was done with it."""

from mnemic.core.proposals.habits import Habit, HandAct
from mnemic.core.proposals.learning import LearntMail
from mnemic.core.proposals.proposing import Proposal, StandingRule, propose, surest_first
from mnemic.core.proposals.traits import Attached, Trait, traits_of
from mnemic.core.proposals.waiting import WaitingGroup, propose_for_waiting

__all__ = [
    "Attached",
    "Habit",
    "HandAct",
    "LearntMail",
    "Proposal",
    "StandingRule",
    "Trait",
    "WaitingGroup",
    "propose",
    "propose_for_waiting",
    "surest_first",
    "traits_of",
]
