"""Messages that are delivered at the same time are taken in together, in one transaction.

Beside other writers each transaction waits for its turn; where mail comes in fast, many a message
has come meanwhile. Whoever delivers hears of it when it is on disk, as before.
"""

import threading
from collections import deque
from collections.abc import Callable, Sequence
from datetime import UTC, datetime

from mnemic.core import ParsedMessage, UnavailableError, parse_message
from mnemic.jobs.intake.arrival import Arrival, Intake
from mnemic.post import Delivery
from mnemic.store import Database
from mnemic.store.mail.messages import same_delivery

__all__ = ["Deliveries"]

#: Messages in one transaction: it takes a fraction of a second.
_MOST = 50


class _Waiting:
    """A message on its way in, and what has become of it."""

    def __init__(self, delivery: Delivery) -> None:
        self.message: ParsedMessage = parse_message(delivery.octets, delivery.envelope)
        self.received = datetime.now(UTC)
        self.done = False
        self.error: Exception | None = None


class Deliveries:
    """Takes mail in, in the order in which it came; ``arrived`` is told of what is new."""

    def __init__(self, database: Database, arrived: Callable[[Sequence[Arrival]], None]) -> None:
        self._database, self._arrived = database, arrived
        self._queue: deque[_Waiting] = deque()
        self._turn = threading.Lock()

    def deliver(self, delivery: Delivery) -> None:
        """Return when the message is safe on disk; what was delivered before is not kept twice.

        Raises UnavailableError where the mailbox can't be written at the moment, and whatever else
        went wrong with this message; it is not kept then.
        """
        mine = _Waiting(delivery)
        self._queue.append(mine)
        with self._turn:  # whoever has it takes in what all others brought meanwhile
            while not mine.done:
                self._take_in(self._next())
        if mine.error is not None:
            raise mine.error

    def _next(self) -> list[_Waiting]:
        return [self._queue.popleft() for _ in range(min(len(self._queue), _MOST))]

    def _take_in(self, batch: Sequence[_Waiting]) -> None:
        try:
            arrivals = self._write(batch)
        except Exception as error:
            if len(batch) == 1 or isinstance(error, UnavailableError):
                self._end(batch, error)
            else:  # one that can't be taken in does not keep the others out
                for message in batch:
                    self._take_in([message])
        else:
            self._end(batch)
            if arrivals:
                self._arrived(arrivals)

    def _write(self, batch: Sequence[_Waiting]) -> list[Arrival]:
        with self._database.writing() as session:
            intake = Intake(session, max(message.received for message in batch))
            return [
                intake.take_in(message.message, received=message.received)
                for message in batch
                # Sent again, since our answer was lost: it is here, once.
                if same_delivery(session, message.message) is None
            ]

    def _end(self, batch: Sequence[_Waiting], error: Exception | None = None) -> None:
        for message in batch:
            message.done, message.error = True, error
