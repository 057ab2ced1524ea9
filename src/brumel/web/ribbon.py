"""The ribbon's geometry: the technician's day as one strip of time."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import timedelta

from brumel.services.catalog import ProbeState
from brumel.services.clock import Clock
from brumel.services.today import Ribbon
from brumel.web.scale import Scale

WIDTH, LABEL, ROW, TOP = 1240.0, 78.0, 20.0, 18.0


@dataclass(frozen=True)
class Bar:
    """A calibration's hold as a bar."""

    x: float
    width: float
    level: str
    run_id: uuid.UUID
    words: str


@dataclass(frozen=True)
class Dot:
    """A calibration or a reading as a mark."""

    x: float
    level: str
    kind: str
    record_id: uuid.UUID
    words: str


@dataclass(frozen=True)
class Row:
    """One probe's lane."""

    y: float
    state: ProbeState
    bars: tuple[Bar, ...]
    dots: tuple[Dot, ...]
    blocked: tuple[float, float] | None
    """Where from now on nothing holds: x and width."""


@dataclass(frozen=True)
class RibbonFigure:
    """All that the ribbon's template draws."""

    width: float
    height: float
    now_x: float
    now_words: str
    hours: tuple[tuple[float, str, bool], ...]
    rows: tuple[Row, ...]
    label: float = LABEL
    row: float = ROW
    top: float = TOP


def ribbon_figure(ribbon: Ribbon, clock: Clock) -> RibbonFigure:
    """Lay the ribbon out."""
    begin, end = ribbon.begin.timestamp(), ribbon.end.timestamp()
    place = Scale(begin, end, LABEL, WIDTH)
    rows = []
    for number, lane in enumerate(ribbon.lanes):
        bars = tuple(
            Bar(
                place(s.begin.timestamp()),
                round(place(s.end.timestamp()) - place(s.begin.timestamp()), 1),
                str(s.level),
                s.run_id,
                f"{lane.state.probe.label}: {s.level} until {clock.local(s.end):%a %H:%M}",
            )
            for s in lane.spans
        )
        dots = tuple(Dot(place(m.at.timestamp()), str(m.level), m.kind, m.record_id, m.words) for m in lane.marks)
        reached = max((b.x + b.width for b in bars), default=LABEL)
        now_x = place(ribbon.now.timestamp())
        blocked = (max(reached, now_x), round(WIDTH - max(reached, now_x), 1)) if reached < WIDTH - 1 else None
        rows.append(Row(TOP + number * ROW, lane.state, bars, dots, blocked))
    return RibbonFigure(
        width=WIDTH,
        height=TOP + ROW * len(rows) + 4,
        now_x=place(ribbon.now.timestamp()),
        now_words=f"{clock.local(ribbon.now):%H:%M}",
        hours=tuple(_hours(ribbon, clock, place)),
        rows=tuple(rows),
    )


def _hours(ribbon: Ribbon, clock: Clock, place: Scale) -> list[tuple[float, str, bool]]:
    """Every second full hour: place, words, and whether a day begins there."""
    hour = clock.local(ribbon.begin).replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
    found = []
    while hour < ribbon.end:
        if hour.hour % 2 == 0 and abs(place(hour.timestamp()) - place(ribbon.now.timestamp())) > 34:
            midnight = hour.hour == 0
            found.append((place(hour.timestamp()), f"{hour:%a}" if midnight else f"{hour:%H}", midnight))
        hour += timedelta(hours=1)
    return found
