"""The ribbon's geometry: the technician's day as one strip of time."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from brumel.core.kit.readiness import Clock as Running
from brumel.services.clock import Clock
from brumel.services.kit.states import ProbeState
from brumel.services.today import Ribbon, Span
from brumel.web.scale import Scale

LABEL, ROW, TOP = 78.0, 16.0, 17.0


@dataclass(frozen=True)
class Format:
    """One size of the ribbon: its width in units of the drawing, and the hours that it shows around now."""

    name: str
    width: float
    before: timedelta
    after: timedelta


FORMATS = (
    Format("broad", 1240.0, timedelta(hours=10), timedelta(hours=14)),
    Format("narrow", 400.0, timedelta(hours=2), timedelta(hours=6)),
)


@dataclass(frozen=True)
class Bar:
    """A calibration's hold as a bar."""

    x: float
    width: float
    level: str
    run_id: uuid.UUID | None
    words: str


@dataclass(frozen=True)
class Wait:
    """A wait as a bar that fills: its place, and how far it has come."""

    x: float
    width: float
    filled: float
    words: str


@dataclass(frozen=True)
class Dot:
    """A calibration or a reading as a mark."""

    x: float
    level: str
    kind: str
    record_id: uuid.UUID | None
    words: str


@dataclass(frozen=True)
class Row:
    """One probe's lane."""

    y: float
    state: ProbeState
    bars: tuple[Bar, ...]
    dots: tuple[Dot, ...]
    waits: tuple[Wait, ...]
    blocked: tuple[float, float] | None
    """Where from now on nothing holds: x and width."""


@dataclass(frozen=True)
class RibbonFigure:
    """All that the ribbon's template draws."""

    name: str
    width: float
    height: float
    now_x: float
    now_words: str
    hours: tuple[tuple[float, str, bool], ...]
    rows: tuple[Row, ...]
    departures: tuple[tuple[float, uuid.UUID, str], ...]
    """Rounds planned: place, key, words."""
    label: float = LABEL
    row: float = ROW
    top: float = TOP


def ribbon_figures(ribbon: Ribbon, clock: Clock) -> list[RibbonFigure]:
    """The ribbon in each of its formats; the screen's width chooses which is seen."""
    return [_laid_out(ribbon, clock, format_) for format_ in FORMATS]


def _laid_out(ribbon: Ribbon, clock: Clock, form: Format) -> RibbonFigure:
    begin, end = ribbon.now - form.before, ribbon.now + form.after
    place = Scale(begin.timestamp(), end.timestamp(), LABEL, form.width)

    def bar(span: Span, label: str) -> Bar:
        left, right = (place(min(max(t, begin), end).timestamp()) for t in (span.begin, span.end))
        words = f"{label}: {span.level} until {clock.local(span.end):%a %H:%M}"
        return Bar(left, round(right - left, 1), str(span.level), span.run_id, words)

    def wait(running: Running, label: str) -> Wait:
        left, right = (place(min(max(t, begin), end).timestamp()) for t in (running.begin, running.end))
        filled = min(max(place(ribbon.now.timestamp()) - left, 0.0), right - left)
        words = f"{label}: {running.why}, until {clock.local(running.end):%a %H:%M}"
        return Wait(left, round(right - left, 1), round(filled, 1), words)

    rows = []
    for number, lane in enumerate(ribbon.lanes):
        label = lane.state.probe.label
        bars = tuple(bar(s, label) for s in lane.spans if s.end > begin and s.begin < end)
        dots = tuple(
            Dot(place(m.at.timestamp()), str(m.level), m.kind, m.record_id, m.words)
            for m in lane.marks
            if begin <= m.at <= end
        )
        reached = max((b.x + b.width for b in bars), default=LABEL)
        now_x = place(ribbon.now.timestamp())
        waits = tuple(wait(c, label) for c in lane.state.readiness.clocks if c.begin < end)
        free = max(reached, now_x, *(w.x + w.width for w in waits))
        blocked = (
            (free, round(form.width - free, 1)) if lane.state.keeps_calibration and free < form.width - 1 else None
        )
        rows.append(Row(TOP + number * ROW, lane.state, bars, dots, waits, blocked))
    return RibbonFigure(
        name=form.name,
        width=form.width,
        height=TOP + ROW * len(rows) + 4,
        now_x=place(ribbon.now.timestamp()),
        now_words=f"{clock.local(ribbon.now):%H:%M}",
        hours=tuple(_hours(begin, ribbon.now, end, clock, place)),
        rows=tuple(rows),
        departures=tuple(
            (place(at.timestamp()), key, f"A round leaves at {clock.local(at):%H:%M}")
            for at, key in ribbon.departures
            if begin <= at <= end
        ),
    )


def _hours(
    begin: datetime, now: datetime, end: datetime, clock: Clock, place: Scale
) -> Iterator[tuple[float, str, bool]]:
    """Every second full hour: place, words, and whether a day begins there."""
    hour = clock.local(begin).replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
    while hour < end:
        if hour.hour % 2 == 0 and abs(place(hour.timestamp()) - place(now.timestamp())) > 34:
            midnight = hour.hour == 0
            yield place(hour.timestamp()), f"{hour:%a}" if midnight else f"{hour:%H}", midnight
        hour += timedelta(hours=1)
