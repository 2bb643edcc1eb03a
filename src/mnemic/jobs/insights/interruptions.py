"""When mail interrupts, and what rules have spared."""

from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.jobs.insights.period import MailOfPeriod
from mnemic.store.conditions_sql.ids import Ids
from mnemic.store.line.rules_that_took import kept_from_inbox
from mnemic.store.search.masks import Mask

__all__ = ["Interruptions", "Mark", "interruptions_in", "mail_behind"]

_WEEK, _DAY = 7, 24


@dataclass(frozen=True, slots=True)
class Interruptions:
    """How many messages came, by weekday (Monday first) and hour of the owner's day.

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


@dataclass(frozen=True, slots=True)
class Mark:
    """A mark of the picture: what reached the inbox or was ``spared``, in one hour or in all.

    ``weekday`` is 0 for Monday; None for all of them, as is ``hour``.
    """

    spared: bool
    weekday: int | None = None
    hour: int | None = None


def _came(session: Session, mail: MailOfPeriod) -> tuple[Ids, Mask, NDArray[np.int64]]:
    """The messages of a period, whether each was spared, and the hour of a week in which it came.

    Hours count from Monday 0:00. The first of January 1970 was a Thursday.
    """
    ids: Ids = np.flatnonzero(mail.all) + 1
    kept = np.zeros(mail.range.size + 1, np.bool_)
    away = kept_from_inbox(session)
    kept[away[away <= mail.range.size]] = True
    hours = _offsets(mail.masks.received_of(ids), mail.zone) // 3_600
    return ids, kept[ids], (hours + 3 * _DAY) % (_WEEK * _DAY)


def _by_hour(hours: NDArray[np.int64]) -> tuple[tuple[int, ...], ...]:
    counted = np.bincount(hours, minlength=_WEEK * _DAY)
    return tuple(tuple(row) for row in counted.reshape(_WEEK, _DAY).tolist())


def interruptions_in(session: Session, mail: MailOfPeriod) -> Interruptions:
    """What interrupted, and what rules spared, in a period."""
    ids, spared, hours = _came(session, mail)
    return Interruptions(
        reached=_by_hour(hours[~spared]),
        spared=_by_hour(hours[spared]),
        messages=ids.size,
        kept_away=int(spared.sum()),
    )


def mail_behind(session: Session, mail: MailOfPeriod, mark: Mark) -> Ids:
    """The messages that a mark of the picture stands for, in no order."""
    ids, spared, hours = _came(session, mail)
    chosen: Mask = spared == mark.spared
    if mark.weekday is not None:
        chosen &= hours // _DAY == mark.weekday
    if mark.hour is not None:
        chosen &= hours % _DAY == mark.hour
    return ids[chosen]
