"""When the sun rises and sets, as far as a night needs it: to some minutes, at the main place of a time zone."""

from __future__ import annotations

import math
import re
from datetime import UTC, date, datetime, time, timedelta
from importlib.resources import files
from zoneinfo import ZoneInfo

from brumel.core.tables import read_once

_UNKNOWN = time(18, 0), time(6, 0)
"""Dusk and dawn where a zone has no place, or the sun does not set (rule of this product)."""
_HORIZON_DEG = -0.833
"""The sun's centre as it rises: half its width and the air's refraction below the horizon (common practice)."""
_EPOCH = datetime(2000, 1, 1, 12, tzinfo=UTC)
_PLACE = re.compile(r"([+-])(\d\d)(\d\d)(\d\d)?([+-])(\d{3})(\d\d)(\d\d)?")


def rises_and_sets(day: date, latitude_deg: float, longitude_deg: float) -> tuple[datetime, datetime] | None:
    """Return sunrise and sunset of a day at a place, to some minutes; None where the sun stays up or down.

    Source: the low-precision formulas of the almanacs for mean anomaly, declination and equation of time (Meeus,
    Astronomical Algorithms, chapter 25), from memory; good to about 3 minutes below 60° of latitude.

    Examples
    --------
    >>> rise, set_ = rises_and_sets(date(2026, 3, 20), 0.0, 0.0)
    >>> round((set_ - rise).total_seconds() / 3600.0, 1)
    12.1
    """
    noon = (day - date(2000, 1, 1)).days - longitude_deg / 360.0  # days since the epoch, by the mean sun
    anomaly = math.radians((357.5291 + 0.98560028 * noon) % 360.0)
    centre = 1.9148 * math.sin(anomaly) + 0.02 * math.sin(2 * anomaly) + 0.0003 * math.sin(3 * anomaly)
    along = math.radians((math.degrees(anomaly) + centre + 180.0 + 102.9372) % 360.0)
    declination = math.asin(math.sin(along) * math.sin(math.radians(23.44)))
    at = math.radians(latitude_deg)
    cosine = (math.sin(math.radians(_HORIZON_DEG)) - math.sin(at) * math.sin(declination)) / (
        math.cos(at) * math.cos(declination)
    )
    if not -1.0 <= cosine <= 1.0:
        return None
    midday = _EPOCH + timedelta(days=noon + 0.0053 * math.sin(anomaly) - 0.0069 * math.sin(2 * along))
    half = timedelta(days=math.degrees(math.acos(cosine)) / 360.0)
    return midday - half, midday + half


@read_once
def _places() -> dict[str, tuple[float, float]]:
    """Latitude and longitude, degrees, of the main place of each zone, as the time zone database has it."""
    found = {}
    for line in files("tzdata.zoneinfo").joinpath("zone1970.tab").read_text(encoding="utf-8").splitlines():
        if line.startswith("#"):
            continue
        _, place, zone, *_ = line.split("\t")
        if match := _PLACE.fullmatch(place):
            parts = match.groups()
            found[zone] = _degrees(*parts[:4]), _degrees(*parts[4:])
    return found


def _degrees(sign: str, degrees: str, minutes: str, seconds: str | None) -> float:
    size = int(degrees) + int(minutes) / 60.0 + int(seconds or 0) / 3600.0
    return -size if sign == "-" else size


def night_of(evening: date, zone: ZoneInfo) -> tuple[datetime, datetime]:
    """Return dusk of an evening and the dawn after it, at the main place of a time zone.

    Where the zone has none, or the sun does not set there, 18:00 and 06:00 are taken.

    Examples
    --------
    >>> [f"{moment:%H:%M}" for moment in night_of(date(2026, 5, 6), ZoneInfo("UTC"))]
    ['18:00', '06:00']
    """
    morning, place = evening + timedelta(days=1), _places().get(zone.key)
    of_evening, of_morning = (rises_and_sets(day, *place) if place else None for day in (evening, morning))
    dusk = of_evening[1] if of_evening else datetime.combine(evening, _UNKNOWN[0], zone)
    dawn = of_morning[0] if of_morning else datetime.combine(morning, _UNKNOWN[1], zone)
    return dusk.astimezone(UTC), dawn.astimezone(UTC)
