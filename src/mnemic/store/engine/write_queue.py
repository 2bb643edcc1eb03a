"""WriteQueue: who waits longest is next.

SQLite lets one connection write at a time, and a waiting one looks again now and then: beside one
that writes without a pause it would never find the moment. Within a process they queue up instead.
"""

import threading
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager

__all__ = ["WriteQueue"]


class WriteQueue:
    """A lock that is handed over in the order in which it was asked for."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._waiting: deque[threading.Event] = deque()
        self._held = False
        #: How many turns have begun; it tells one that wants many whether others want some, too.
        self.begun = 0

    @contextmanager
    def turn(self) -> Iterator[None]:
        """Wait for one's turn, and hold it."""
        with self._guard:
            mine = threading.Event()
            if self._held:
                self._waiting.append(mine)
            else:
                self._held = True
                mine.set()
        mine.wait()
        self.begun += 1
        try:
            yield
        finally:
            with self._guard:
                if self._waiting:
                    self._waiting.popleft().set()
                else:
                    self._held = False
