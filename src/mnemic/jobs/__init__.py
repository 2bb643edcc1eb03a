"""What Mnemic does with mail: plain functions; whoever calls owns the transaction."""

from mnemic.jobs.catch_up.planning import CatchUpPlan, prepare_catch_up
from mnemic.jobs.catch_up.preview import preview_catch_up
from mnemic.jobs.catch_up.running import start_catch_up, step_catch_up
from mnemic.jobs.intake.arrival import Arrival, ImportReport, import_messages, take_in
from mnemic.jobs.rehearsal.rehearse import Rehearsal, rehearse

__all__ = [
    "Arrival",
    "CatchUpPlan",
    "ImportReport",
    "Rehearsal",
    "import_messages",
    "prepare_catch_up",
    "preview_catch_up",
    "rehearse",
    "start_catch_up",
    "step_catch_up",
    "take_in",
]
