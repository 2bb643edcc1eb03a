"""Work that goes on in the background: a task queue (huey) on an SQLite file, in this process."""

import logging
import threading
from pathlib import Path

from huey import SqliteHuey
from huey.consumer import Consumer

from mnemic.jobs.catch_up import step_catch_up
from mnemic.store import Database
from mnemic.store.catch_ups import jobs_to_do

__all__ = ["Worker"]

log = logging.getLogger(__name__)

#: Seconds between two looks at the queue while it is empty, at first and at most.
_DELAY, _LONGEST_DELAY = 0.05, 0.3


class _Consumer(Consumer):  # type: ignore[misc] # huey ships no types
    """One that leaves the process's signals to the server."""

    def _set_signal_handlers(self) -> None:
        pass


class Worker:
    """Does catch-ups one after the other, batch by batch.

    What is to be done stands in the database; the queue only says when. So a Mnemic that was
    stopped, or killed, goes on at its next start where it was.
    """

    def __init__(self, database: Database, queue: Path) -> None:
        self._database, self._stopping = database, threading.Event()
        queue.parent.mkdir(parents=True, exist_ok=True)
        self._huey = SqliteHuey("mnemic", filename=str(queue), results=False)
        self._task = self._huey.task(name="catch up")(self._catch_up)
        self._consumer = _Consumer(
            self._huey, periodic=False, initial_delay=_DELAY, max_delay=_LONGEST_DELAY
        )

    def start(self) -> None:
        """Begin, with what was left from before."""
        self._huey.flush()
        with self._database.reading() as session:
            left = [each.id for each in jobs_to_do(session)]
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
        while not self._stopping.is_set():
            with self._database.writing() as session:
                more = step_catch_up(session, job_id)
            if not more:
                return
