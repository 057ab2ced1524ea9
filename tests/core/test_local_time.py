"""The nights when clocks change, by the zones of the IANA database: each rule as the place's law has it."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brumel.core.place.local_time import NotOneMoment, moment_of, reading_words

ZONES = ("UTC", "Europe/Berlin", "America/New_York", "Australia/Lord_Howe", "Asia/Kathmandu", "America/St_Johns")


@pytest.mark.parametrize(
    ("zone", "local", "words", "readings"),
    [
        # Directive 2000/84/EC: the last Sundays of March and October, 01:00 UTC.
        ("Europe/Berlin", "2026-03-29T02:30", "was left out", ["01:30, UTC+1", "03:30, UTC+2"]),
        ("Europe/Berlin", "2026-10-25T02:30", "came twice", ["02:30, UTC+2", "02:30, UTC+1"]),
        # 15 U.S.C. 260a: the second Sunday of March, the first of November, 2 o'clock.
        ("America/New_York", "2026-03-08T02:00", "was left out", ["01:00, UTC−5", "03:00, UTC−4"]),
        ("America/New_York", "2026-11-01T01:59", "came twice", ["01:59, UTC−4", "01:59, UTC−5"]),
        # Lord Howe moves by half an hour.
        ("Australia/Lord_Howe", "2026-10-04T02:15", "was left out", ["01:45, UTC+10:30", "02:45, UTC+11"]),
    ],
)
def test_a_time_that_is_not_one_moment_is_asked_back(zone: str, local: str, words: str, readings: list[str]) -> None:
    with pytest.raises(NotOneMoment, match=words) as asked:
        moment_of(datetime.fromisoformat(local), ZoneInfo(zone))
    assert [reading_words(moment) for moment in asked.value.readings] == readings


def readings(local: datetime, zone: ZoneInfo) -> list[datetime]:
    """The moments that a local time can be meant for."""
    try:
        return [moment_of(local, zone)]
    except NotOneMoment as asked:
        return list(asked.readings)


@given(st.integers(0, 2 * 365 * 24 * 4), st.sampled_from(ZONES))
def test_what_is_one_moment_is_shown_as_it_was_typed(quarters: int, name: str) -> None:
    """And each reading that is offered instead is a moment that the zone's clocks show."""
    zone, local = ZoneInfo(name), datetime.fromisoformat("2026-01-01T00:00") + quarters * timedelta(minutes=15)
    found = readings(local, zone)
    assert all(m.astimezone(UTC).astimezone(zone).isoformat() == m.isoformat() for m in found)
    if len(found) == 1:
        assert found[0].replace(tzinfo=None, fold=0) == local
    else:
        first, second = (m.astimezone(UTC) for m in found)
        assert timedelta(0) < second - first <= timedelta(hours=1)
