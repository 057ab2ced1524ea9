"""A time on the wall as a moment: in the night when clocks change, some stand for none and some for two."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from brumel.core.errors import CoreError


class NotOneMoment(CoreError):
    """A local time was left out that night, or came twice; ``readings`` are the moments that can be meant."""

    def __init__(self, words: str, readings: tuple[datetime, ...]) -> None:
        super().__init__(words)
        self.readings = readings


def moment_of(local: datetime, zone: ZoneInfo) -> datetime:
    """Return the moment of a local time without an offset, with the offset that it has in the zone.

    Raises
    ------
    NotOneMoment
        In the hour that is left out where clocks go forward, and in the one that comes twice where they go back.

    Examples
    --------
    >>> moment_of(datetime(2026, 5, 6, 9, 30), ZoneInfo("Europe/Berlin")).isoformat()
    '2026-05-06T09:30:00+02:00'
    >>> moment_of(datetime(2026, 3, 29, 2, 30), ZoneInfo("Europe/Berlin"))
    Traceback (most recent call last):
    brumel.core.place.local_time.NotOneMoment: 02:30 was left out that night, for clocks went forward: 01:30 or 03:30?
    """
    both = tuple(local.replace(tzinfo=zone, fold=fold).astimezone(UTC).astimezone(zone) for fold in (0, 1))
    shown = [moment.replace(tzinfo=None, fold=0) for moment in both]
    if shown[0] != local:
        earlier, later = sorted(both)
        raise NotOneMoment(
            f"{local:%H:%M} was left out that night, for clocks went forward: {earlier:%H:%M} or {later:%H:%M}?",
            (earlier, later),
        )
    if both[0].utcoffset() != both[1].utcoffset():
        first, second = (_offset_words(moment) for moment in both)
        raise NotOneMoment(
            f"{local:%H:%M} came twice that night, for clocks went back: the first ({first}) or the second ({second})?",
            both,
        )
    return both[0]


def reading_words(moment: datetime) -> str:
    """Return a moment as a choice beside others has it: ``02:30, UTC+2``."""
    return f"{moment:%H:%M}, {_offset_words(moment)}"


def _offset_words(moment: datetime) -> str:
    minutes = (moment.utcoffset() or timedelta()) // timedelta(minutes=1)
    hours, rest = divmod(abs(minutes), 60)
    return f"UTC{'−' if minutes < 0 else '+'}{hours}" + (f":{rest:02}" if rest else "")
