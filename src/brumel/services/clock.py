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

    def local_time(self, text: str) -> datetime | None:
        """A local date and time as a form gives it, as a moment; None where it can't be read."""
        try:
            typed = datetime.fromisoformat(text)
        except ValueError:
            return None
        return typed if typed.tzinfo else typed.replace(tzinfo=self.timezone)

    def today(self) -> date:
        """The local date now."""
        return self.local(self.now()).date()
