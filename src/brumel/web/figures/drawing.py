"""Geometry of the still pictures; templates draw them as SVG, which prints and needs no script."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import isfinite

from brumel.core.numbers.series import Series
from brumel.core.wording import grouped
from brumel.services.clock import Clock
from brumel.services.kit.coefficient_history import Course
from brumel.services.planning.plan import DayPlan
from brumel.services.reckon.pictures import CurvePicture
from brumel.services.sites.site_history import SiteHistory
from brumel.web.figures.scale import Scale, Tick, tick_words

_HOURS_S = 2 * 86_400


@dataclass(frozen=True)
class TraceFigure:
    """A stored trace as a small line."""

    path: str
    duration: str
    width: float = 150.0
    height: float = 40.0


def trace_figure(trace: Series) -> TraceFigure | None:
    """Lay a stored trace out; None where there is none."""
    if len(trace) < 2:
        return None
    times_s, values = trace.times_s.tolist(), trace.values.tolist()
    x, y = Scale(times_s[0], times_s[-1], 2, 148), Scale(min(values), max(values), 37, 3)
    step = max(len(times_s) // 150, 1)
    path = " ".join(f"{x(t)},{y(v)}" for t, v in list(zip(times_s, values, strict=True))[::step])
    return TraceFigure(path, f"{times_s[-1] - times_s[0]:.0f} s")


@dataclass(frozen=True)
class HistoryFigure:
    """A site's readings over time, with the band that they should keep and U as whiskers."""

    band: tuple[float, float] | None
    whiskers: tuple[tuple[float, float, float], ...]
    """Place, upper and lower end of ±U."""
    path: str
    dots: tuple[tuple[float, float, str, str, bool], ...]
    """Place, level, words, and whether it takes the place of another."""
    x_ticks: tuple[Tick, ...]
    y_ticks: tuple[Tick, ...]
    calibrations: tuple[tuple[float, str, str], ...] = ()
    """Place, level and words of what the values rest on."""
    begin: float = 0.0
    end: float = 0.0
    """What the axis of time spans, s since 1970; both 0 where no other span can be chosen."""
    offset_s: float = 0.0
    """How far local time is ahead of UTC there."""
    width: float = 560.0
    height: float = 170.0
    left: float = 56.0
    right: float = 548.0
    top: float = 10.0
    bottom: float = 142.0


def history_figure(
    history: SiteHistory, clock: Clock, span: tuple[datetime, datetime] | None = None
) -> HistoryFigure | None:
    """Lay a site's history out, over a span where one is given; None before there are two readings.

    The band is what the water must keep, else what is expected of it; it may be open at one end.
    """
    if len(history.values) < 2:
        return None
    times = [v.at.timestamp() for v in history.values]
    values = [v.value for v in history.values]
    kept = history.kept or (None, None)
    marks = [*values, *(end for end in kept if end is not None)]
    room = (max(marks) - min(marks)) * 0.1 or 0.15
    low, high = min(marks) - room, max(marks) + room
    begin, end = (span[0].timestamp(), span[1].timestamp()) if span else (times[0], times[-1])
    x, y = Scale(begin, end, 62.0, 540.0), Scale(low, high, 142.0, 10.0)
    places = [(x(t), y(v)) for t, v in zip(times, values, strict=True)]
    bottom, top = (low if kept[0] is None else kept[0]), (high if kept[1] is None else kept[1])

    def inside(value: float) -> float:
        return y(min(max(value, low), high))

    return HistoryFigure(
        band=(y(top), y(bottom)) if history.kept else None,
        whiskers=tuple(
            (px, inside(v.value + 2 * v.u), inside(v.value - 2 * v.u))
            for (px, _), v in zip(places, history.values, strict=True)
        ),
        path=" ".join(f"{px},{py}" for px, py in places),
        dots=tuple(
            (px, py, str(v.level), f"{clock.said(v.at)}: {history.quantity.words(v.value)}", v.amends)
            for (px, py), v in zip(places, history.values, strict=True)
        ),
        x_ticks=tuple(_day_ticks([begin, end], x, clock)),
        y_ticks=tuple((y(v), grouped(v)) for v in y.ticks(4)),
        calibrations=tuple(
            (x(c.at.timestamp()), str(c.level), f"{clock.said(c.at)}: {c.probe} calibrated, {c.level}")
            for c in history.calibrations
        ),
        begin=begin if span else 0.0,
        end=end if span else 0.0,
        offset_s=(clock.local(span[0]).utcoffset() or timedelta()).total_seconds() if span else 0.0,
    )


def _day_ticks(times: Sequence[float], x: Scale, clock: Clock) -> list[Tick]:
    """Five moments along an axis: hours within two days, else days; the ends have their year where it changes."""
    marks = [times[0] + (times[-1] - times[0]) * n / 4 for n in range(5)]
    moments = [clock.local(datetime.fromtimestamp(m, clock.timezone)) for m in marks]
    if times[-1] - times[0] < _HOURS_S:
        words = [f"{at:%H:%M}" for at in moments]
        words[0] = f"{moments[0].day} {moments[0]:%b}, {words[0]}"
    else:
        words = [f"{at.day} {at:%b}" for at in moments]
        if moments[0].year != moments[-1].year:
            words[0], words[-1] = f"{words[0]} {moments[0].year}", f"{words[-1]} {moments[-1].year}"
    return [(x(m), said) for m, said in zip(marks, words, strict=True)]


@dataclass(frozen=True)
class CurveLine:
    """One line of a curve: its pieces, for it may have gaps, its name, and where the name stands."""

    pieces: tuple[str, ...]
    name: str
    chosen: bool
    name_at: tuple[float, float]


@dataclass(frozen=True)
class CurveFigure:
    """A calculation's curve with the answer on it."""

    lines: tuple[CurveLine, ...]
    point: tuple[float, float]
    x_ticks: tuple[Tick, ...]
    y_ticks: tuple[Tick, ...]
    x_label: str
    y_label: str
    width: float = 560.0
    height: float = 300.0
    left: float = 62.0
    right: float = 546.0
    top: float = 30.0
    bottom: float = 252.0


def curve_figure(picture: CurvePicture) -> CurveFigure:
    """Lay a calculation's curve out."""
    values = [v for line in picture.lines for v in line.y if isfinite(v)] + [picture.point[1]]
    low, high = min(values), max(values)
    room = (high - low) * 0.06 or abs(high) * 0.1 or 1.0
    if 0 <= low < room * 3:
        low, room_below = 0.0, 0.0
    else:
        room_below = room
    places = picture.lines[0].x
    x, y = Scale(places[0], places[-1], 62.0, 546.0), Scale(low - room_below, high + room, 252.0, 30.0)
    lines = []
    for line in picture.lines:
        drawn = [(x(a), y(b)) if isfinite(b) else None for a, b in zip(line.x, line.y, strict=True)]
        pieces = [" ".join(f"{px},{py}" for px, py in run) for run in _runs(drawn)]
        last = next(((px, py) for px, py in reversed([d for d in drawn if d])), (62.0, 30.0))
        lines.append(CurveLine(tuple(pieces), line.name, line.chosen, last))
    return CurveFigure(
        lines=tuple(lines),
        point=(x(picture.point[0]), y(picture.point[1])),
        x_ticks=tuple((x(v), tick_words(v)) for v in x.ticks(6)),
        y_ticks=tuple((y(v), tick_words(v)) for v in y.ticks(5)),
        x_label=picture.x_label,
        y_label=picture.y_label,
    )


def _runs(drawn: Sequence[tuple[float, float] | None]) -> Iterator[list[tuple[float, float]]]:
    """Stretches without a gap, of two places at least."""
    run: list[tuple[float, float]] = []
    for place in [*drawn, None]:
        if place is not None:
            run.append(place)
            continue
        if len(run) > 1:
            yield run
        run = []


_FEW_DOTS = 60


@dataclass(frozen=True)
class CourseFigure:
    """Slope or offset through a probe's life: the sound band, the doubtful one around it, the points, the trend."""

    sound: tuple[float, float]
    doubtful: tuple[float, float]
    path: str
    dots: tuple[tuple[float, float], ...]
    """The points one by one where they are few."""
    trend: tuple[float, float, float, float] | None
    control: tuple[float, ...]
    """Heights of centre and control limits, where they lie within the drawing."""
    control_from: float
    x_ticks: tuple[Tick, ...]
    y_ticks: tuple[Tick, ...]
    width: float = 560.0
    height: float = 190.0
    left: float = 46.0
    right: float = 548.0
    top: float = 10.0
    bottom: float = 162.0


def course_figure(course: Course, clock: Clock) -> CourseFigure | None:
    """Lay a probe's course out; None before there are two points."""
    if len(course.points) < 2:
        return None
    times = [p.at.timestamp() for p in course.points]
    values = [p.value for p in course.points]
    room = (course.sound[1] - course.sound[0]) * 0.12
    low, high = min(*values, course.sound[0]) - room, max(*values, course.sound[1]) + room
    last = max(times[-1], clock.now().timestamp())
    x, y = Scale(times[0], last, 46.0, 548.0), Scale(low, high, 162.0, 10.0)

    places_of = [(x(t), y(v)) for t, v in zip(times, values, strict=True)]

    def band(bounds: tuple[float, float]) -> tuple[float, float]:
        return y(min(bounds[1], high)), y(max(bounds[0], low))

    trend = None
    control: tuple[float, ...] = ()
    control_from = 46.0
    if course.trend is not None:
        held = course.trend.control
        control = tuple(y(v) for v in (held.low, held.centre, held.high) if low <= v <= high)
        control_from = x(course.trend.begin.at.timestamp())
        ends = (course.trend.begin, course.trend.end)
        places = [(x(p.at.timestamp()), y(min(max(p.value, low), high))) for p in ends]
        trend = (*places[0], *places[1])
    return CourseFigure(
        sound=band(course.sound),
        doubtful=band(course.doubtful),
        path=" ".join(f"{px},{py}" for px, py in places_of),
        dots=tuple(places_of) if len(places_of) <= _FEW_DOTS else (),
        trend=trend,
        control=control,
        control_from=control_from,
        x_ticks=tuple(_day_ticks([times[0], last], x, clock)),
        y_ticks=tuple((y(v), tick_words(v)) for v in y.ticks(4)),
    )


@dataclass(frozen=True)
class TrackBar:
    """A step on its probe's track: where the hands are at it, and the wait behind."""

    x: float
    width: float
    wait: float
    name: str
    words: str


@dataclass(frozen=True)
class PlanFigure:
    """The plan as tracks, one a probe."""

    tracks: tuple[tuple[str, float, tuple[TrackBar, ...]], ...]
    ticks: tuple[Tick, ...]
    departure_x: float
    height: float
    name: str
    width: float
    left: float = 80.0
    row: float = 34.0
    top: float = 24.0


_TICK_WORDS = 70.0
"""What the words of a tick take; in the last half of it at the right they would be cut off."""


def plan_figures(plan: DayPlan, clock: Clock) -> list[PlanFigure]:
    """Lay a plan out for a wide sheet and for a phone; nothing where nothing is left to do."""
    return [_tracks(plan, clock, "broad", 860.0), _tracks(plan, clock, "narrow", 400.0)] if plan.steps else []


def _tracks(plan: DayPlan, clock: Clock, name: str, width: float) -> PlanFigure:
    begin = plan.steps[0].begin
    end = max(plan.round.departure, *(s.until for s in plan.steps))
    room = max((end - begin) * 0.02, timedelta(minutes=5))
    x = Scale((begin - room).timestamp(), (end + room).timestamp(), 80.0, width - 10.0)
    probes = list(dict.fromkeys(s.probe.probe.label for s in plan.steps))
    tracks = []
    for n, probe in enumerate(probes):
        bars = tuple(
            TrackBar(
                x(s.begin.timestamp()),
                round(max(x(s.hands_until.timestamp()) - x(s.begin.timestamp()), 2.0), 1),
                round(x(s.until.timestamp()) - x(s.hands_until.timestamp()), 1),
                s.name,
                f"{clock.local(s.begin):%H:%M} {probe}: {s.name}",
            )
            for s in plan.steps
            if s.probe.probe.label == probe
        )
        tracks.append((probe, 24.0 + 34.0 * n, bars))
    minutes = (end - begin).total_seconds() / 60
    step = next(
        m for m in (5, 10, 15, 30, 60, 120, 360, 1440, 10_080, 100_800) if minutes / m <= (width - 80.0) / _TICK_WORDS
    )
    ticks = []
    at = clock.local(begin).replace(minute=0, second=0, microsecond=0)
    while at <= end + room:
        if at >= begin - room and x(at.timestamp()) < width - _TICK_WORDS / 2:
            ticks.append((x(at.timestamp()), f"{at:%H:%M}"))
        at += timedelta(minutes=step)
    leave = x(plan.round.departure.timestamp())
    return PlanFigure(tuple(tracks), tuple(ticks), leave, 30.0 + 34.0 * len(probes), name, width)
