"""What Mnemic does with mail: plain functions; whoever calls owns the transaction."""

from mnemic.jobs.abilities import mailbox_problems
from mnemic.jobs.arrival import Arrival, ImportReport, import_messages, take_in
from mnemic.jobs.catch_up import CatchUp, catch_up
from mnemic.jobs.rehearsal import Rehearsal, RehearsedMessage, rehearse

__all__ = [
    "Arrival",
    "CatchUp",
    "ImportReport",
    "Rehearsal",
    "RehearsedMessage",
    "catch_up",
    "import_messages",
    "mailbox_problems",
    "rehearse",
    "take_in",
]
