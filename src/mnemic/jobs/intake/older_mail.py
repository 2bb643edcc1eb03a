"""Mail that an older Mnemic took in is brought to today's form while Mnemic runs.

Nothing waits for it: what is not brought over is read as it lies.
"""

import logging
import threading
import time

from mnemic.core import UnavailableError, parse_message
from mnemic.store import Database
from mnemic.store.mail.attachment_types import keep_types, some_without_types, types_of
from mnemic.store.mail.messages import octets_of_messages
from mnemic.store.mail.packed_mail import pack_some

__all__ = ["bring_over"]

log = logging.getLogger(__name__)

#: Messages in one transaction: others who write wait for a tenth of a second.
_STEP = 200

#: Messages that are parsed in one step.
_PARSED = 50

#: Seconds until what could not be done for a while is tried again.
_PATIENCE = 10.0


def bring_over(database: Database, stopping: threading.Event) -> None:
    """Do what is left to do, step by step, until nothing is or ``stopping`` is set."""
    for step in (_pack, _note_types):
        while not stopping.is_set():
            begun = time.perf_counter()
            try:
                done = step(database)
            except UnavailableError as error:
                log.warning("older mail is brought to its new form later: %s", error)
                stopping.wait(_PATIENCE)
                continue
            if not done:
                break
            stopping.wait(2 * (time.perf_counter() - begun))  # others come first


def _pack(database: Database) -> bool:
    """Pack some of what is not packed; whether there was any."""
    with database.writing() as session:
        return bool(pack_some(session, _STEP))


def _note_types(database: Database) -> bool:
    """Note the types of some attachments that nobody has looked at; whether there were any.

    The messages are read before anybody who writes has to wait.
    """
    with database.reading() as session:
        ids = some_without_types(session, _PARSED)
        types = [
            (message_id, types_of(parse_message(octets)))
            for message_id, octets in octets_of_messages(session, ids)
        ]
    if types:
        with database.writing() as session:
            keep_types(session, types)
    return bool(types)
