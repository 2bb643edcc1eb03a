"""When mail interrupts, and what rules have spared."""

from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.jobs.insights.period import MailOfPeriod
from mnemic.store.line.rules_that_took import kept_from_inbox

__all__ = ["Interruptions", "interruptions_in"]

_WEEK, _DAY = 7, 24


@dataclass(frozen=True, slots=True)
class Interruptions:
    """By weekday (Monday first) and hour of the owner's day, how many messages came.

    ``reached`` came to the inbox, ``spared`` were put elsewhere by rules as they came;
    ``messages`` are both.
    """

    reached: tuple[tuple[int, ...], ...]
    spared: tuple[tuple[int, ...], ...]
    messages: int
    kept_away: int


def _offsets(seconds: NDArray[np.int64], zone: object) -> NDArray[np.int64]:
    """The moments as seconds of the owner's clock; offsets change by the day, no sooner."""
    days, which = np.unique(seconds // 86_400, return_inverse=True)
    shifts = [
        datetime.fromtimestamp(int(day) * 86_400 + 43_200, UTC).astimezone(zone).utcoffset()  # type: ignore[arg-type] # a time zone
        for day in days
    ]
    seconds_of = np.array(
        [int(shift.total_seconds()) if shift else 0 for shift in shifts], np.int64
    )
    return seconds + seconds_of[which]


def _by_hour(moments: NDArray[np.int64]) -> tuple[tuple[int, ...], ...]:
    """Counts by weekday and hour; the first of January 1970 was a Thursday."""
    hours = moments // 3_600
    weekdays = (hours // _DAY + 3) % _WEEK
    counted = np.bincount(weekdays * _DAY + hours % _DAY, minlength=_WEEK * _DAY)
    return tuple(tuple(row) for row in counted.reshape(_WEEK, _DAY).tolist())


def interruptions_in(session: Session, mail: MailOfPeriod) -> Interruptions:
    """What interrupted, and what rules spared, in a period."""
    ids = np.flatnonzero(mail.all) + 1
    kept = np.zeros(mail.range.size + 1, np.bool_)
    away = kept_from_inbox(session)
    kept[away[away <= mail.range.size]] = True
    moments = _offsets(mail.masks.received_of(ids), mail.zone)
    spared = kept[ids]
    return Interruptions(
        reached=_by_hour(moments[~spared]),
        spared=_by_hour(moments[spared]),
        messages=ids.size,
        kept_away=int(spared.sum()),
    )
