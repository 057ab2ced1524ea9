"""Geometry of the still pictures; templates draw them as SVG, which prints and needs no script."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from brumel.core.quantities.ph import millivolts_from_ph
from brumel.services.calibrations import RunView
from brumel.services.clock import Clock
from brumel.services.rounds import SiteHistory
from brumel.web.scale import Scale

Tick = tuple[float, str]


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
class ElectrodeFigure:
    """The electrode's line: points, fitted and ideal line, residuals below."""

    fitted: tuple[float, float, float, float]
    ideal: tuple[float, float, float, float]
    points: tuple[PlottedPoint, ...]
    x_ticks: tuple[Tick, ...]
    y_ticks: tuple[Tick, ...]
    sound_band: tuple[float, float]
    residual_zero: float
    residual_limit: str
    width: float = 560.0
    height: float = 380.0
    left: float = 58.0
    right: float = 548.0
    top: float = 14.0
    bottom: float = 258.0
    strip_top: float = 290.0
    strip_bottom: float = 350.0


def electrode_figure(view: RunView) -> ElectrodeFigure | None:
    """Lay the electrode's line out; None before there is one."""
    points = [s.point for s in view.steps if s.point]
    if view.fit is None or not points:
        return None
    temperature = sum(p.temperature_c for p in points) / len(points)
    low, high = min(2.0, *(p.buffer_ph - 1 for p in points)), max(12.0, *(p.buffer_ph + 1 for p in points))
    x = Scale(low, high, 58.0, 548.0)
    ends = [view.fit.millivolts(ph, temperature) for ph in (low, high)]
    ideals = [float(millivolts_from_ph(ph, temperature)) for ph in (low, high)]
    reach = max(map(abs, [*ends, *ideals, *(p.mv for p in points)])) * 1.04
    y = Scale(-reach, reach, 258.0, 14.0)
    bound = view.run.method["limits"]["residual_ph"]
    residuals = [view.fit.ph(p.mv, p.temperature_c) - p.buffer_ph for p in points]
    largest = max(bound[1] * 1.4, min(max(map(abs, residuals)) * 1.15, 0.4))
    r = Scale(-largest, largest, 350.0, 290.0)
    return ElectrodeFigure(
        fitted=(x(low), y(ends[0]), x(high), y(ends[1])),
        ideal=(x(low), y(ideals[0]), x(high), y(ideals[1])),
        points=tuple(
            PlottedPoint(
                x(p.buffer_ph), y(p.mv), r(max(-largest, min(largest, off))), off, f"{p.buffer_ph:.2f}",
                p.use == "check", abs(off) > bound[0],
            )
            for p, off in zip(points, residuals, strict=True)
        ),
        x_ticks=tuple((x(v), f"{v:.0f}") for v in x.ticks(10)),
        y_ticks=tuple((y(v), f"{v:.0f}".replace("-", "−")) for v in y.ticks(6)),
        sound_band=(r(bound[0]), r(-bound[0])),
        residual_zero=r(0.0),
        residual_limit=f"{bound[0]:g}",
    )  # fmt: skip


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
    """A site's readings over time, with the band that is expected of it."""

    band: tuple[float, float]
    path: str
    dots: tuple[tuple[float, float, str, str], ...]
    x_ticks: tuple[Tick, ...]
    y_ticks: tuple[Tick, ...]
    width: float = 560.0
    height: float = 170.0
    left: float = 40.0
    right: float = 548.0
    top: float = 10.0
    bottom: float = 142.0


def history_figure(history: SiteHistory, clock: Clock) -> HistoryFigure | None:
    """Lay a site's history out; None before there are two readings."""
    if len(history.values) < 2:
        return None
    times = [v.at.timestamp() for v in history.values]
    values = [v.ph for v in history.values]
    low = min(*values, history.expected[0]) - 0.15
    high = max(*values, history.expected[1]) + 0.15
    x, y = Scale(times[0], times[-1], 48.0, 540.0), Scale(low, high, 142.0, 10.0)
    places = [(x(t), y(v)) for t, v in zip(times, values, strict=True)]
    return HistoryFigure(
        band=(y(history.expected[1]), y(history.expected[0])),
        path=" ".join(f"{px},{py}" for px, py in places),
        dots=tuple(
            (px, py, str(v.level), f"{clock.local(v.at):%d %b %H:%M}: pH {v.ph:.2f}")
            for (px, py), v in zip(places, history.values, strict=True)
        ),
        x_ticks=tuple(_day_ticks(times, x, clock)),
        y_ticks=tuple((y(v), f"{v:g}") for v in y.ticks(4)),
    )


def _day_ticks(times: Sequence[float], x: Scale, clock: Clock) -> list[Tick]:
    marks = [times[0] + (times[-1] - times[0]) * n / 4 for n in range(5)]
    moments = [clock.local(datetime.fromtimestamp(m, clock.timezone)) for m in marks]
    return [(x(m), f"{at.day} {at:%b}") for m, at in zip(marks, moments, strict=True)]
