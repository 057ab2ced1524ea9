"""Where a probe's slope or offset is going: a robust line, a forecast with its interval, and run rules."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from brumel.core.numbers.arrays import Array

_FEWEST = 8
_FARTHEST_DAYS = 3 * 365.0
_DAY_S = 86_400.0
_MOST_PAIRED = 250


@dataclass(frozen=True)
class LifePoint:
    """A value at a time."""

    at: datetime
    value: float


@dataclass(frozen=True)
class Control:
    """Centre and limits of a control chart of single values."""

    centre: float
    low: float
    high: float

    @classmethod
    def of(cls, values: Array) -> Control:
        """Median, and three standard deviations around it, estimated from the step between neighbours.

        Notes
        -----
        Source: chart of individuals and moving range (Shewhart; ISO 7870-2), with medians so that one odd value
        does not widen the limits: median moving range / 0.954.

        Examples
        --------
        >>> Control.of(np.array([98.0, 98.2, 98.0, 98.2, 98.0])).centre
        98.0
        """
        sigma = float(np.median(np.abs(np.diff(values)))) / 0.954 or 1e-9
        centre = float(np.median(values))
        return cls(centre, centre - 3 * sigma, centre + 3 * sigma)


@dataclass(frozen=True)
class Trend:
    """The line through the newest stretch, and what it says.

    Attributes
    ----------
    per_day, low_per_day, high_per_day
        Change a day with its 95 % interval.
    begin, end
        Where the line is drawn: two points on it.
    leaves_at, earliest, latest
        When it leaves the sound range; None where it does not within three years, or the interval has no such end.
    already_out
        Whether it is outside already.
    rules
        Names of the run rules that the stretch breaks.
    control
        Centre and limits of the stretch.
    """

    per_day: float
    low_per_day: float
    high_per_day: float
    begin: LifePoint
    end: LifePoint
    leaves_at: datetime | None
    earliest: datetime | None
    latest: datetime | None
    already_out: bool
    rules: tuple[str, ...]
    control: Control

    @property
    def moves(self) -> bool:
        """Whether the interval leaves out standing still."""
        return self.low_per_day > 0 or self.high_per_day < 0


def trend_of(points: Sequence[LifePoint], sound: tuple[float, float], now: datetime) -> Trend | None:
    """Return the trend of a stretch without a part change; None below eight points or two weeks.

    Notes
    -----
    Source: Theil–Sen median of pairwise slopes, its interval after Sen 1968; run rules after Nelson 1984,
    on the residuals from the stretch's median.

    Examples
    --------
    >>> from datetime import UTC
    >>> start = datetime(2026, 1, 1, tzinfo=UTC)
    >>> falling = [LifePoint(start + timedelta(days=2 * n), 98.0 - 0.04 * n) for n in range(40)]
    >>> found = trend_of(falling, (95.0, 102.0), start + timedelta(days=80))
    >>> round(found.per_day, 3), (found.leaves_at - start).days
    (-0.02, 150)
    """
    if len(points) < _FEWEST or (points[-1].at - points[0].at) < timedelta(days=14):
        return None
    origin = points[0].at
    days = np.array([(p.at - origin).total_seconds() / _DAY_S for p in points])
    values = np.array([p.value for p in points])
    slope, low, high = _theil_sen(days, values)
    level = float(np.median(values - slope * days))
    today = (now - origin).total_seconds() / _DAY_S
    here = level + slope * today
    out = not sound[0] <= here <= sound[1]
    middle, *ends = (None if out else _crossing(here, s, sound) for s in (slope, low, high))
    near, far = sorted(ends, key=lambda wait: np.inf if wait is None else wait)

    def moment(wait: float | None) -> datetime | None:
        return None if wait is None or wait > _FARTHEST_DAYS else now + timedelta(days=wait)

    return Trend(
        per_day=slope,
        low_per_day=low,
        high_per_day=high,
        begin=LifePoint(origin, level),
        end=LifePoint(now, here),
        leaves_at=moment(middle),
        earliest=moment(near),
        latest=moment(far),
        already_out=out,
        rules=tuple(_broken_rules(values)),
        control=Control.of(values),
    )


def _theil_sen(x: Array, y: Array) -> tuple[float, float, float]:
    """Median of the pairwise slopes and its 95 % interval (Sen 1968)."""
    if x.size > _MOST_PAIRED:
        x, y = x[-_MOST_PAIRED:], y[-_MOST_PAIRED:]
    i, j = np.triu_indices(x.size, 1)
    apart = x[j] - x[i] > 1e-6
    slopes = np.sort((y[j] - y[i])[apart] / (x[j] - x[i])[apart])
    n = x.size
    reach = 1.96 * np.sqrt(n * (n - 1) * (2 * n + 5) / 18.0)
    low = int(max((slopes.size - reach) / 2, 0))
    high = int(min((slopes.size + reach) / 2 + 1, slopes.size - 1))
    return float(np.median(slopes)), float(slopes[low]), float(slopes[high])


def _crossing(here: float, per_day: float, sound: tuple[float, float]) -> float | None:
    """Return days until a line leaves the sound range; None where it never does."""
    if per_day == 0:
        return None
    return ((sound[0] if per_day < 0 else sound[1]) - here) / per_day


def _broken_rules(values: Array) -> list[str]:
    """Return the usual run rules, named, on the newest of at least eight values."""
    control = Control.of(values)
    off = values - control.centre
    found = []
    if not control.low <= values[-1] <= control.high:
        found.append("the newest lies beyond three standard deviations")
    if values.size >= 9 and (np.all(off[-9:] > 0) or np.all(off[-9:] < 0)):
        found.append("nine in a row on one side: a shift")
    if np.all(np.diff(values[-6:]) > 0) or np.all(np.diff(values[-6:]) < 0):
        found.append("six in a row rising or falling: a drift")
    return found
