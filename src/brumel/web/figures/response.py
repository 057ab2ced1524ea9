"""How a probe responds, as a picture: its points, its line at each temperature, residuals below."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from brumel.core.findings import Level
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.response import Response
from brumel.services.calibrating.shown import RunView
from brumel.services.probes.run_facts import tolerances_of, where
from brumel.web.figures.scale import Decades, Scale, Tick, tick_words

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
        x_ticks=tuple((x(v), tick_words(v)) for v in x.ticks(10)),
        y_ticks=tuple((y(v), tick_words(v)) for v in y.ticks(6)),
        sound_band=(r(within.sound), r(-within.sound)),
        residual_zero=r(0.0),
        residual_limit=f"{within.sound:g}",
        residual_decimals=1 if within.percent else about.error_decimals,
        axes=f"{own.signal_unit} against {about.symbol} at the temperature of the standards",
        residuals=f"residual of each standard, {'%' if within.percent else about.stated_in} (shaded: sound)",
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
    """Return the temperatures that points were taken at, those within 5 °C as one, the first one first.

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
