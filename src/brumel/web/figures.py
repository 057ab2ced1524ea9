"""Geometry of the still pictures; templates draw them as SVG, which prints and needs no script."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from math import isfinite

from brumel.core.findings import Level
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.response import Response
from brumel.core.wording import grouped
from brumel.services.calibrating.shown import RunView
from brumel.services.calibrating.stored import tolerances_of, where
from brumel.services.clock import Clock
from brumel.services.kit.life import Course
from brumel.services.planning.plan import DayPlan
from brumel.services.reckon.pictures import Picture
from brumel.services.visiting.rounds import SiteHistory
from brumel.web.scale import Decades, Scale

Tick = tuple[float, str]
_ONE_WARMTH_C = 5.0


@dataclass(frozen=True)
class PlottedPoint:
    """One calibration point: its place on the line and in the strip of residuals."""

    x: float
    y: float
    residual_y: float
    residual: float
    label: str
    check: bool
    outside: bool


@dataclass(frozen=True)
class ResponseFigure:
    """How a probe responds: points, its own and the usual line, residuals below; labelled by its principle."""

    fitted: tuple[tuple[float, float, float, float, str], ...]
    """A line for each temperature of the standards, with its words where there are several."""
    usual: tuple[float, float, float, float]
    points: tuple[PlottedPoint, ...]
    x_ticks: tuple[Tick, ...]
    y_ticks: tuple[Tick, ...]
    sound_band: tuple[float, float]
    residual_zero: float
    residual_limit: str
    residual_decimals: int
    axes: str
    residuals: str
    usual_name: str
    legend_y: float
    axes_y: float
    """Where the words stand: out of the way of a line that rises or falls."""
    width: float = 560.0
    height: float = 380.0
    left: float = 58.0
    right: float = 548.0
    top: float = 14.0
    bottom: float = 258.0
    strip_top: float = 290.0
    strip_bottom: float = 350.0


def response_figure(view: RunView) -> ResponseFigure | None:
    """Lay the response out; None before there is one."""
    points = [s.point for s in view.steps if s.point and s.point.signal is not None]
    if view.response is None or not points:
        return None
    response, own, about, at = view.response, view.principle, view.quantity, view.conditions
    usual = Response.usual(own)
    if own.by_decades:  # its usual line lies anywhere: through the middle of what was found
        usual = replace(usual, values=(response.values[0], *usual.values[1:]))
    targets = [p.target for p in points]
    x = (Decades if own.by_decades else Scale)(*_reach(own, targets), 58.0, 548.0)
    warmths = warmths_of([p.temperature_c for p in points])
    lines = [[response.signal(v, replace(at, temperature_c=c)) for v in (x.low, x.high)] for c in warmths]
    lines = lines if len(lines) > 1 else [[response.signal(v, at) for v in (x.low, x.high)]]
    ends, usual_ends = lines[0], [usual.signal(v, at) for v in (x.low, x.high)]
    signals = [*(end for line in lines for end in line), *usual_ends, *(p.signal or 0.0 for p in points)]
    margin = (max(signals) - min(signals)) * 0.02
    y = Scale(min(signals) - margin, max(signals) + margin, 258.0, 14.0)
    within = tolerances_of(view.run).residual
    offs = [response.value(p.signal or 0.0, where(view.run, p.temperature_c)) - p.target for p in points]
    residuals = [within.scaled(off, p.target) for p, off in zip(points, offs, strict=True)]
    largest = max(within.doubtful * 1.4, min(max(map(abs, residuals)) * 1.15, within.doubtful * 6))
    r = Scale(-largest, largest, 350.0, 290.0)
    return ResponseFigure(
        fitted=tuple(
            (x(x.low), y(line[0]), x(x.high), y(line[1]), f", {c:.0f} °C" if len(lines) > 1 else "")
            for c, line in zip(warmths, lines, strict=False)
        ),
        usual=(x(x.low), y(usual_ends[0]), x(x.high), y(usual_ends[1])),
        points=tuple(
            PlottedPoint(
                x(p.target), y(p.signal or 0.0), r(max(-largest, min(largest, off))), off, about.number(p.target),
                p.use == "check", within.level(within_unit, p.target) is not Level.SOUND,
            )
            for p, off, within_unit in zip(points, residuals, offs, strict=True)
        ),
        x_ticks=tuple((x(v), _tick(v)) for v in x.ticks(10)),
        y_ticks=tuple((y(v), _tick(v)) for v in y.ticks(6)),
        sound_band=(r(within.sound), r(-within.sound)),
        residual_zero=r(0.0),
        residual_limit=f"{within.sound:g}",
        residual_decimals=1 if within.percent else about.error_decimals,
        axes=f"{own.signal_unit} against {about.symbol} at the temperature of the standards",
        residuals=f"residual of each standard, {'%' if within.percent else about.unit or about.symbol} (shaded: sound)",
        usual_name=own.usual_name,
        legend_y=238.0 - 20.0 * len(lines) if ends[1] > ends[0] else 28.0,
        axes_y=32.0 if ends[1] > ends[0] else 250.0,
    )  # fmt: skip


def _reach(own: Principle, targets: Sequence[float]) -> tuple[float, float]:
    """From where to where values are drawn: what is usual, and all standards with some room."""
    low, high = own.drawn
    if own.by_decades:
        return min(low, min(targets) / 1.5), max(high, max(targets) * 1.5)
    room = (high - low) / 10
    return min(low, min(targets) - room), max(high, max(targets) + room)


def warmths_of(temperatures_c: Sequence[float]) -> list[float]:
    """The temperatures that points were taken at, those within 5 °C as one, the first one first.

    Examples
    --------
    >>> warmths_of([22.0, 22.4, 8.0])
    [22.2, 8.0]
    """
    groups: list[list[float]] = []
    for t in temperatures_c:
        near = next((g for g in groups if abs(g[0] - t) <= _ONE_WARMTH_C), None)
        if near is None:
            groups.append([t])
        else:
            near.append(t)
    return [sum(g) / len(g) for g in groups]


@dataclass(frozen=True)
class TraceFigure:
    """A stored trace as a small line."""

    path: str
    duration: str
    width: float = 150.0
    height: float = 40.0


def trace_figure(times_s: Sequence[float], values: Sequence[float]) -> TraceFigure | None:
    """Lay a stored trace out; None where there is none."""
    if len(times_s) < 2:
        return None
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
            (px, py, str(v.level), f"{clock.local(v.at):%d %b %H:%M}: {history.quantity.words(v.value)}", v.amends)
            for (px, py), v in zip(places, history.values, strict=True)
        ),
        x_ticks=tuple(_day_ticks([begin, end], x, clock)),
        y_ticks=tuple((y(v), grouped(v)) for v in y.ticks(4)),
        calibrations=tuple(
            (x(c.at.timestamp()), str(c.level), f"{clock.local(c.at):%d %b %H:%M}: {c.probe} calibrated, {c.level}")
            for c in history.calibrations
        ),
        begin=begin if span else 0.0,
        end=end if span else 0.0,
        offset_s=(clock.local(span[0]).utcoffset() or timedelta()).total_seconds() if span else 0.0,
    )


def _day_ticks(times: Sequence[float], x: Scale, clock: Clock) -> list[Tick]:
    marks = [times[0] + (times[-1] - times[0]) * n / 4 for n in range(5)]
    moments = [clock.local(datetime.fromtimestamp(m, clock.timezone)) for m in marks]
    return [(x(m), f"{at.day} {at:%b}") for m, at in zip(marks, moments, strict=True)]


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


def curve_figure(picture: Picture) -> CurveFigure:
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
        x_ticks=tuple((x(v), _tick(v)) for v in x.ticks(6)),
        y_ticks=tuple((y(v), _tick(v)) for v in y.ticks(5)),
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


def _tick(value: float) -> str:
    return grouped(value, least=0.0)


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
        y_ticks=tuple((y(v), _tick(v)) for v in y.ticks(4)),
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
