"""A pond's oxygen until dawn: two values of the evening, the line through them, when it comes down to a limit."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from brumel.core.findings import beyond
from brumel.core.quantities.oxygen import projected_mg_l
from brumel.core.wording import signed

AGAIN = timedelta(hours=2), timedelta(hours=3)
"""So long after the first value of the evening the second one is read (Boyd, Romaire & Johnston 1978)."""
LEAST_APART = timedelta(minutes=90)
"""Nearer to each other two values tell no line (rule of this product)."""
DUSK = timedelta(hours=3), timedelta(hours=2, minutes=30)
"""So long before and after sunset a value is that of dusk (rule of this product)."""
_STEP = timedelta(minutes=1)


class NightState(StrEnum):
    """What is known of a night."""

    UNKNOWN = "unknown"
    HOLDS = "holds"
    MAY_FALL = "may-fall"
    FALLS = "falls"
    ENDED = "ended"


@dataclass(frozen=True)
class Looked:
    """One look at the oxygen: when, mg/L, standard uncertainty (k = 1), mg/L."""

    at: datetime
    mg_l: float
    u: float


@dataclass(frozen=True)
class Night:
    """An evening of one pond, and what its line says of the time until dawn; ``limit`` in mg/L.

    ``aerated_at`` is when an aerator was switched on: from then on the line says nothing.
    """

    first: Looked
    second: Looked | None
    dawn: datetime
    limit: float
    aerated_at: datetime | None = None

    @property
    def again(self) -> tuple[datetime, datetime]:
        """From when until when the second value is to be read."""
        return self.first.at + AGAIN[0], self.first.at + AGAIN[1]

    def at(self, moment: datetime) -> tuple[float, float]:
        """Oxygen on the line at a moment, mg/L, and its U (k = 2): both values are off on their own."""
        assert self.second is not None
        times = [t.timestamp() for t in (self.first.at, self.second.at, moment)]
        value = projected_mg_l(times[0], self.first.mg_l, times[1], self.second.mg_l, times[2])
        share = (times[2] - times[0]) / (times[1] - times[0])
        return value, 2.0 * math.hypot((1.0 - share) * self.first.u, share * self.second.u)

    @property
    def state(self) -> NightState:
        """What is known."""
        if self.aerated_at is not None:
            return NightState.ENDED
        if self.second is None:
            return NightState.UNKNOWN
        if self.crosses is not None:
            return NightState.FALLS
        return NightState.MAY_FALL if self.earliest is not None else NightState.HOLDS

    @property
    def crosses(self) -> datetime | None:
        """When the line comes down to the limit before dawn."""
        return self._first(lambda value, _: not beyond(value - self.limit, 0.0))

    @property
    def earliest(self) -> datetime | None:
        """From when on the limit may be reached: by then aerators must run."""
        return self._first(lambda value, expanded: value - expanded <= self.limit)

    @property
    def latest(self) -> datetime | None:
        """From when on the limit is surely reached; None where it may not be before dawn."""
        return self._first(lambda value, expanded: value + expanded <= self.limit)

    def _first(self, holds: Callable[[float, float], bool]) -> datetime | None:
        """Return the first minute between the second value and dawn for which something holds."""
        if self.second is None or self.aerated_at is not None:
            return None
        moment = self.second.at
        while moment <= self.dawn:
            if holds(*self.at(moment)):
                return moment
            moment += _STEP
        return None

    def words(self, time: Callable[[datetime], str]) -> str:
        """Say what is known, with times as the screens write them.

        Examples
        --------
        >>> first = Looked(datetime(2026, 5, 6, 20), 6.0, 0.1)
        >>> Night(first, None, datetime(2026, 5, 7, 6), 4.0).words(lambda t: f"{t:%H:%M}")
        'Not known: look again from 22:00 to 23:00. One value says nothing of the night.'
        >>> night = Night(first, Looked(datetime(2026, 5, 6, 22), 5.4, 0.1), datetime(2026, 5, 7, 6), 4.0)
        >>> night.words(lambda t: f"{t:%H:%M}")
        'It comes down to 4.00 mg/L at 02:40 (00:49 to later than dawn), to 3.00 ±1.28 mg/L at dawn, 06:00.'
        """
        if self.aerated_at is not None:
            return (
                f"An aerator runs since {time(self.aerated_at)}: the line of the evening says nothing more. Look again."
            )
        if self.second is None:
            begin, end = self.again
            return f"Not known: look again from {time(begin)} to {time(end)}. One value says nothing of the night."
        value, expanded = self.at(self.dawn)
        dawn = f"{signed(value, 2)} ±{expanded:.2f} mg/L at dawn, {time(self.dawn)}"
        if self.crosses is not None:
            later = time(self.latest) if self.latest else "later than dawn"
            between = f"({time(self.earliest or self.crosses)} to {later})"
            return f"It comes down to {self.limit:.2f} mg/L at {time(self.crosses)} {between}, to {dawn}."
        if self.earliest is not None:
            return f"On the line {dawn}; {self.limit:.2f} mg/L may be reached from {time(self.earliest)} on."
        return (
            f"On the line {dawn}: above {self.limit:.2f} mg/L until then. Clouds, feed or a wind change it: look again."
        )
