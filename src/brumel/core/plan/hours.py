"""When a technician's hands are at work, and when a round is where."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, time, timedelta

EVENING, MORNING = time(22), time(5)
"""Nobody prepares between them (rule of this product)."""
_BEFORE_LEAVING = timedelta(hours=1, minutes=30)
"""Who leaves early gets up so long before (rule of this product)."""

STAY_MIN, TRAVEL_MIN = 15, 15
"""So long a stay at a site and the way to it take where nobody said (rule of this product)."""


def nights_until(now: datetime, departure: datetime) -> list[tuple[datetime, datetime]]:
    """Return the nights between two local moments in which nobody prepares; the one that it is already is none.

    Examples
    --------
    >>> late, off = datetime(2026, 5, 13, 9), datetime(2026, 5, 14, 6)
    >>> [(a.hour, b.hour) for a, b in nights_until(late, off)]
    [(22, 4)]
    """
    found, day = [], now.date()
    while day < departure.date():
        begin = datetime.combine(day, EVENING, now.tzinfo)
        day += timedelta(days=1)
        end = min(datetime.combine(day, MORNING, now.tzinfo), departure - _BEFORE_LEAVING)
        if begin > now and end > begin:
            found.append((begin, end))
    return found


def arrivals(departure: datetime, travel: Sequence[float], stay_min: float) -> list[datetime]:
    """When a round is at each of its sites, and back at last; ``travel`` has the minutes of each way, the last back.

    Examples
    --------
    >>> [f"{at:%H:%M}" for at in arrivals(datetime(2026, 5, 14, 8), [20, 10, 30], 15)]
    ['08:20', '08:45', '09:30']
    """
    at, found = departure, []
    for minutes in travel:
        at += timedelta(minutes=minutes)
        found.append(at)
        at += timedelta(minutes=stay_min)
    return found
