"""What the owner prefers: the time zone, and how long things are kept."""

from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo, available_timezones

from pydantic import BaseModel, Field, field_validator
from sqlmodel import Session

from mnemic.store.engine.driver import driver
from mnemic.store.engine.stamps import while_unchanged
from mnemic.store.engine.tables import PreferenceRow

__all__ = ["Preferences", "change_preferences", "read_preferences"]


class Preferences(BaseModel, frozen=True):
    """The owner's preferences. Days are whole days of 24 hours."""

    timezone: str = Field("UTC", description="time zone of calendar days, as Europe/Lisbon")
    trash_days: int = Field(30, ge=1, le=3650, description="days that mail stays in the trash")
    daily_hour: int = Field(4, ge=0, le=23, description="hour in which daily rules run")
    undo_days: int = Field(30, ge=1, le=3650, description="days that anything can be undone")
    interruption_minutes: int = Field(
        2, ge=0, le=4, description="minutes that an interruption costs; 0: they are not counted"
    )

    @field_validator("timezone")
    @classmethod
    def _known(cls, value: str) -> str:
        if value not in available_timezones():
            raise ValueError("is no time zone; write one like Europe/Lisbon")
        return value

    @property
    def zone(self) -> ZoneInfo:
        """The time zone."""
        return ZoneInfo(self.timezone)

    def midnights(self, now: int, days: int) -> list[int]:
        """When each of the owner's last days began, the last being today (seconds since 1970)."""
        today = datetime.fromtimestamp(now, self.zone).date()
        return [
            int(datetime.combine(today - timedelta(days=ago), time(), self.zone).timestamp())
            for ago in reversed(range(days))
        ]


def read_preferences(session: Session) -> Preferences:
    """The preferences, each as it was set, or else as it is by itself."""
    return while_unchanged(session, "preferences", ("preference",), lambda: _read(session))


def _read(session: Session) -> Preferences:
    rows = driver(session).execute("SELECT name, value FROM preference")
    return Preferences.model_validate(dict(rows.fetchall()))


def change_preferences(session: Session, preferences: Preferences) -> None:
    """Keep the preferences."""
    for name, value in preferences.model_dump().items():
        session.merge(PreferenceRow(name=name, value=str(value)))
