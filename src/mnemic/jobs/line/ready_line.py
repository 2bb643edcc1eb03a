"""What the conditions of the line say of the mail here, worked out before anybody asks.

A rehearsal counts the rules above, the order check and a catch-up all rules of the line. What they
need of the octets of messages stays (``store.search.content_masks``); so it is made in the
background, after a start and whenever rules change, a condition at a time and newest mail first.
Before that the addresses are counted that are offered with the first letter of one.
"""

import threading
import time
from datetime import UTC, datetime

from mnemic.core import MnemicError, UnavailableError
from mnemic.core.fields import BaseCondition
from mnemic.core.rules import conditions_in
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.store import Database
from mnemic.store.conditions_sql.ids import IdRange
from mnemic.store.line.rules import StandingLine, standing_line
from mnemic.store.mail.correspondents import Side, correspondents
from mnemic.store.search.masks import Masks

__all__ = ["keep_line_ready"]

#: Seconds between two looks at whether anything was committed.
_INTERVAL = 0.5

#: Messages looked at in one step; between two of them others get the processor. Where messages
#: have to be parsed for it, a step takes some seconds.
_STEP = 65_536


#: Whose addresses are typed most.
_OFFERED: tuple[Side, ...] = ("from", "recipient")


class _StoppedError(MnemicError):
    """Mnemic stops; what is not ready is asked when somebody needs it."""


class _Pause:
    """Leaves others as much of the processor as it takes."""

    def __init__(self, stopping: threading.Event) -> None:
        self._stopping, self._since = stopping, time.perf_counter()

    def __call__(self) -> None:
        """Wait as long as the work since the last call took; raises _StoppedError."""
        if self._stopping.wait(time.perf_counter() - self._since):
            raise _StoppedError("Mnemic stops")
        self._since = time.perf_counter()

    def end(self) -> None:
        """Raises _StoppedError where Mnemic stops; waits for nobody."""
        if self._stopping.is_set():
            raise _StoppedError("Mnemic stops")


def keep_line_ready(database: Database, stopping: threading.Event) -> None:
    """Keep what the line's conditions say of content ready, until ``stopping`` is set."""
    ready: frozenset[BaseCondition] = frozenset()
    line: StandingLine | None = None
    offered = False
    with database.change_counter() as changes:
        looked = None
        while not stopping.wait(_INTERVAL):
            if changes() == looked:
                continue
            looked = changes()
            try:
                offered = offered or _make_offers_ready(database)
                with database.reading() as session:
                    now = standing_line(session)
                if now is line:  # mail came in: each condition is asked of it when it is needed
                    continue
                wanted = _conditions(now)
                for condition in wanted - ready:
                    _make_ready(database, condition, _Pause(stopping))
                ready, line = wanted, now
            except UnavailableError:
                looked = None  # it is tried again soon
            except _StoppedError:
                return


def _conditions(line: StandingLine) -> frozenset[BaseCondition]:
    """The conditions on content of the rules that are on."""
    return frozenset(
        condition
        for rule in line.rules
        if rule.enabled
        for condition in (*conditions_in(rule.when), *conditions_in(rule.unless))
        if condition.of_content
    )


def _make_offers_ready(database: Database) -> bool:
    with database.reading() as session:
        for side in _OFFERED:
            correspondents(session, side, "address", "")
    return True


def _make_ready(database: Database, condition: BaseCondition, pause: _Pause) -> None:
    """Work in steps, each a transaction of its own: a long one would let the log grow."""
    high = None
    while high is None or high > 0:
        with database.reading() as session:
            now = datetime.now(UTC)
            masks = Masks(session, MailboxCircumstances(session, now).of(now), pause.end)
            high = masks.top if high is None else high
            low = max(0, high - _STEP)
            masks.of(condition, IdRange(low, high))
        high = low
        pause()
