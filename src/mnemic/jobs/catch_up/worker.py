"""Work that goes on in the background: a task queue (huey) on an SQLite file, in this process."""

import logging
import sqlite3
import threading
import time
from datetime import UTC, datetime
from pathlib import Path

from huey import SqliteHuey, crontab
from huey.consumer import Consumer

from mnemic.core import UnavailableError
from mnemic.jobs.catch_up.clearing_out import clear_out, compact
from mnemic.jobs.catch_up.daily import is_due, prepare_daily, start_daily
from mnemic.jobs.catch_up.running import step_catch_up
from mnemic.store import Database
from mnemic.store.line.catch_ups import jobs_to_do

__all__ = ["Worker"]

log = logging.getLogger(__name__)

#: Seconds between two looks at the queue while it is empty, at first and at most.
_DELAY, _LONGEST_DELAY = 0.05, 0.3


#: Seconds until what could not be done for a while is tried again.
_PATIENCE = 2.0


#: How long a catch-up steps back while others write, as a multiple of what a batch took.
_YIELDING = 8.0


class _Consumer(Consumer):  # type: ignore[misc] # huey ships no types
    """One that leaves the process's signals to the server."""

    def _set_signal_handlers(self) -> None:
        pass


def _queue_on(path: Path) -> SqliteHuey:
    """An empty queue; the file is made anew where it is damaged, since it only says when."""
    for damaged in (False, True):
        if damaged:
            log.warning("%s is damaged and is made anew; nothing is lost by that", path)
            for ending in ("", "-wal", "-shm"):
                path.with_name(path.name + ending).unlink(missing_ok=True)
        huey = None
        try:
            huey = SqliteHuey("mnemic", filename=str(path), results=False)
            huey.flush()
        except sqlite3.OperationalError:
            raise  # locked, or no room: nothing is wrong with the file
        except sqlite3.DatabaseError:
            if huey is not None:
                huey.storage.close()
            if damaged:
                raise
        else:
            break
    return huey


class Worker:
    """Does catch-ups one after the other, batch by batch, and once a day what the day asks for.

    What is to be done stands in the database; the queue only says when. So a Mnemic that was
    stopped, or killed, goes on at its next start where it was.
    """

    def __init__(self, database: Database, queue: Path) -> None:
        self._database, self._stopping = database, threading.Event()
        #: Why a catch-up waits, where something keeps it from going on.
        self.problem = ""
        queue.parent.mkdir(parents=True, exist_ok=True)
        self._huey = _queue_on(queue)
        self._task = self._huey.task(name="catch up")(self._catch_up)
        # Looked at every minute, and at the start: a day that was missed is made up for.
        self._huey.periodic_task(crontab(minute="*"), name="daily")(self._daily)
        self._consumer = _Consumer(self._huey, initial_delay=_DELAY, max_delay=_LONGEST_DELAY)

    def start(self) -> None:
        """Begin, with what was left from before."""
        with self._database.reading() as session:
            left = [job.id for job in jobs_to_do(session)]
        for job_id in left:
            self.enqueue(job_id)
        self._consumer.start()

    def stop(self) -> None:
        """Finish the batch that is running, and stop."""
        self._stopping.set()
        self._consumer.stop(graceful=True)
        self._huey.storage.close()

    def enqueue(self, job_id: int) -> None:
        """Let a catch-up be done in its turn."""
        self._task(job_id)

    def _catch_up(self, job_id: int) -> None:
        more, turns = True, self._database.write_queue
        while more and not self._stopping.is_set():
            begun, before = time.monotonic(), turns.begun
            try:
                with self._database.writing() as session:
                    more = step_catch_up(session, job_id)
                self.problem = ""
                if turns.begun > before + 1:  # others write, too: mail comes in
                    self._stopping.wait((time.monotonic() - begun) * _YIELDING)
            except UnavailableError as error:  # what is left stands in the database: it waits
                log.warning("a catch-up waits: %s", error)
                self.problem = str(error)
                self._stopping.wait(_PATIENCE)

    def _daily(self) -> None:
        now = datetime.now(UTC)
        with self._database.reading() as session:
            if not is_due(session, now=now):
                return
            prepared = prepare_daily(session, now=now)
        with self._database.writing() as session:
            job = start_daily(session, prepared, now=now)
        self._catch_up(job.id)
        destroyed = 0
        while not self._stopping.is_set():
            with self._database.writing() as session:
                batch = clear_out(session, now=int(now.timestamp()))
            destroyed += batch
            if not batch:
                break
        # Room is free, too, where octets were compressed that an older Mnemic took in.
        wanted = destroyed or self._database.has_much_free_room()
        if wanted and not self._stopping.is_set():
            compact(self._database)
