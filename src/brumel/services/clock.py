"""The calendar, which tests and pictures may freeze."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo


@dataclass(frozen=True)
class Clock:
    """Tells the calendar time; ``frozen`` stops it. Live samples keep a clock of their own."""

    timezone: ZoneInfo
    frozen: datetime | None = None

    def now(self) -> datetime:
        """The time now, in UTC."""
        return (self.frozen or datetime.now(UTC)).astimezone(UTC)

    def local(self, moment: datetime) -> datetime:
        """A moment in the time zone of the screens."""
        return moment.astimezone(self.timezone)

    def today(self) -> date:
        """The local date now."""
        return self.local(self.now()).date()
