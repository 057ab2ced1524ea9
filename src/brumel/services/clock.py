"""The calendar, which tests and pictures may freeze."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from brumel.core.place.local_time import moment_of
from brumel.core.wording import day_words

_FAST = timedelta(minutes=5)
"""So far a clock in somebody's hand may be ahead of ours."""
_EARLIEST = timedelta(days=3653)
_pinned: ContextVar[datetime | None] = ContextVar("pinned", default=None)


@contextmanager
def one_moment() -> Iterator[None]:
    """Let all clocks tell one moment within: parts of one page never speak of two."""
    token = _pinned.set(datetime.now(UTC))
    try:
        yield
    finally:
        _pinned.reset(token)


@dataclass(frozen=True)
class Clock:
    """Tells the calendar time; ``frozen`` stops it. Live samples keep a clock of their own."""

    timezone: ZoneInfo
    frozen: datetime | None = None

    def now(self) -> datetime:
        """Return the time now, in UTC."""
        return (self.frozen or _pinned.get() or datetime.now(UTC)).astimezone(UTC)

    def soon(self) -> datetime:
        """Return the end of the minute that it is: the same for all who ask within it, and never past."""
        return self.now().replace(second=0, microsecond=0) + timedelta(minutes=1)

    def why_not(self, moment: datetime) -> str:
        """Say why something can't have been done at a moment, in words; empty where it can.

        Raises
        ------
        ValueError
            Without an offset from UTC: whose noon it is, nobody would know.
        """
        if moment.tzinfo is None:
            raise ValueError(f"{moment} needs an offset from UTC")
        if moment > self.now() + _FAST:
            return "This lies in the future: check date and time."
        if moment < self.now() - _EARLIEST:
            return "This lies more than ten years back: check date and time."
        return ""

    def local(self, moment: datetime) -> datetime:
        """Return a moment in the time zone of the screens."""
        return moment.astimezone(self.timezone)

    def moment_of(self, local: datetime) -> datetime:
        """Return the moment of a time as the screens' clocks show it; one with an offset is one already.

        Raises
        ------
        NotOneMoment
            Where it was left out or came twice, in a night when clocks change.
        """
        return local if local.tzinfo else moment_of(local, self.timezone)

    def hour(self, moment: datetime) -> str:
        """Return the time of a moment as a clock on the wall shows it."""
        return f"{self.local(moment):%H:%M}"

    def today(self) -> date:
        """Return the local date now."""
        return self.local(self.now()).date()

    def said(self, moment: datetime) -> str:
        """Return a moment as people read it: ``Mon 23 Nov, 11:53``."""
        local = self.local(moment)
        return f"{self.day_said(local.date())}, {local:%H:%M}"

    def day_said(self, day: date) -> str:
        """Return a date as people read it: ``Mon 23 Nov``, with its year where that is not this one."""
        return day_words(day, self.today())
