"""Mail that an older Mnemic took in is brought to today's form while Mnemic runs.

Nothing waits for it: what is not brought over is read as it lies.
"""

import logging
import threading
import time

from mnemic.core import UnavailableError
from mnemic.store import Database
from mnemic.store.mail.packed_mail import pack_some

__all__ = ["bring_over"]

log = logging.getLogger(__name__)

#: Messages in one transaction: others who write wait for a tenth of a second.
_STEP = 200

#: Seconds until what could not be done for a while is tried again.
_PATIENCE = 10.0


def bring_over(database: Database, stopping: threading.Event) -> None:
    """Pack what is not packed, step by step, until nothing is left or ``stopping`` is set."""
    while not stopping.is_set():
        begun = time.perf_counter()
        try:
            with database.writing() as session:
                done = pack_some(session, _STEP)
        except UnavailableError as error:
            log.warning("older mail is brought to its new form later: %s", error)
            stopping.wait(_PATIENCE)
            continue
        if not done:
            return
        stopping.wait(2 * (time.perf_counter() - begun))  # others come first
