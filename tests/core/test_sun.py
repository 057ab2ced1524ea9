"""Sunrise and sunset beside almanacs, quoted from memory, and beside laws that hold everywhere."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brumel.core.place.sun import night_of, rises_and_sets


@pytest.mark.parametrize(
    ("zone", "day", "latitude", "longitude", "rise", "sets"),
    [
        ("Europe/London", date(2024, 6, 21), 51.51, -0.13, "04:43", "21:21"),
        ("Australia/Sydney", date(2024, 12, 21), -33.87, 151.22, "05:41", "20:05"),
        ("America/New_York", date(2024, 9, 22), 40.71, -74.01, "06:43", "18:53"),
        ("Asia/Tokyo", date(2024, 1, 1), 35.65, 139.74, "06:50", "16:38"),
        ("Pacific/Auckland", date(2024, 6, 21), -36.85, 174.76, "07:33", "17:11"),
    ],
)  # fmt: skip
def test_within_three_minutes_of_almanacs(
    zone: str, day: date, latitude: float, longitude: float, rise: str, sets: str
) -> None:
    found = rises_and_sets(day, latitude, longitude)
    assert found is not None
    for moment, expected in zip(found, (rise, sets), strict=True):
        local = moment.astimezone(ZoneInfo(zone))
        wanted = datetime.combine(day, time.fromisoformat(expected), ZoneInfo(zone))
        assert abs(local - wanted) <= timedelta(minutes=3)


@given(st.dates(date(1950, 1, 1), date(2100, 1, 1)), st.floats(-89.0, 89.0), st.floats(-180.0, 180.0))
def test_days_of_both_halves_of_the_earth_add_up(day: date, latitude: float, longitude: float) -> None:
    """What one half has more than twelve hours the other has less, but for the sun's width and the air's bending."""
    here, there = rises_and_sets(day, latitude, longitude), rises_and_sets(day, -latitude, longitude)
    if here is None or there is None or abs(latitude) > 45.0:
        return
    hours = [(s - r) / timedelta(hours=1) for r, s in (here, there)]
    assert sum(hours) == pytest.approx(24.3, abs=0.3)
    assert here[0] < here[1]


@given(st.dates(date(1950, 1, 1), date(2100, 1, 1)))
def test_where_the_sun_stays_up_or_down_six_and_eighteen_are_taken(day: date) -> None:
    dusk, dawn = night_of(day, ZoneInfo("UTC"))
    assert (dusk, dawn) == (
        datetime(day.year, day.month, day.day, 18, tzinfo=UTC),
        datetime(day.year, day.month, day.day, 6, tzinfo=UTC) + timedelta(days=1),
    )
    assert rises_and_sets(date(day.year, 6, 21), 80.0, 0.0) is None


def test_a_zone_with_a_place_has_its_own_night() -> None:
    zone = ZoneInfo("Australia/Sydney")
    dusk, dawn = night_of(date(2024, 12, 21), zone)
    assert (f"{dusk.astimezone(zone):%d %H}", f"{dawn.astimezone(zone):%d %H}") == ("21 20", "22 05")
