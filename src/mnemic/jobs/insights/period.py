"""The mail that the pictures are about: of some days, and of one account or of all."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta

import numpy as np
from sqlmodel import Session

from mnemic.core.search import understand
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.misses import Misses
from mnemic.store.search.masks import IdRange, Mask, Masks

__all__ = ["MailOfPeriod", "Period"]

#: What the owner wrote came to nobody here.
_NOT_MINE = "-folder:Sent"


@dataclass(frozen=True, slots=True)
class Period:
    """So many of the owner's days, the last being today (None: all), and one account or all."""

    days: int | None = None
    account: str | None = None

    def since(self, today: date) -> date | None:
        """The first of the days."""
        return None if self.days is None else today - timedelta(days=self.days - 1)

    def search(self, today: date) -> str:
        """What to type into Find for this mail."""
        terms = [_NOT_MINE]
        since = self.since(today)
        if since is not None:
            terms.append(f"after:{since - timedelta(days=1)}")
        if self.account is not None:
            terms.append(f"account:{self.account}")
        return " ".join(terms)


class MailOfPeriod:
    """The messages of a period, and which of them a search finds.

    What a picture counts is what Find lists for the same words: both ask the same conditions.
    """

    def __init__(self, session: Session, period: Period, now: datetime) -> None:
        around = MailboxCircumstances(session, now)
        self.zone = around.zone
        self.today = now.astimezone(around.zone).date()
        self.masks = Masks(session, around.of(now))
        self.range = IdRange(0, self.masks.top)
        self._misses = Misses.within(self.masks, self.range)
        self.search = period.search(self.today)
        self.all: Mask = self.masks.there(self.range) & self.found(self.search)

    def found(self, text: str) -> Mask:
        """The messages for which a search holds, of whatever time."""
        test = understand(text, self.today).test
        if test is None:
            return np.zeros(self.range.size, np.bool_)
        return self._misses.holds(test)
