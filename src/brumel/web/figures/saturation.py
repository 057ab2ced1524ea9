"""Oxygen at saturation against temperature, at the station pressure and at sea level's, with what the probe shows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brumel.core.quantities.oxygen import ATMOSPHERE_HPA, saturation_mg_l
from brumel.core.wording import signed
from brumel.services.calibrating.shown import RunView
from brumel.services.probes.run_facts import where
from brumel.web.figures.scale import Scale

_LEFT, _RIGHT, _TOP, _BOTTOM = 48.0, 548.0, 14.0, 190.0
_WARMEST_C = 40.0


@dataclass(frozen=True)
class ShownPoint:
    """A point on the picture: what the probe shows, and the target it was taken for."""

    x: float
    y: float
    aim_y: float
    words: str
    anchor: str


@dataclass(frozen=True)
class SaturationFigure:
    """Places of both curves and of the points, in pixels."""

    here: str
    at_sea_level: str
    here_words: str
    points: tuple[ShownPoint, ...]
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    width: float = 560.0
    height: float = 226.0
    left: float = _LEFT
    right: float = _RIGHT
    top: float = _TOP
    bottom: float = _BOTTOM


def saturation_figure(view: RunView) -> SaturationFigure | None:
    """Lay the curves out; None where no station pressure is known."""
    if view.pressure is None:
        return None
    hpa = view.pressure.hpa
    temperatures = np.linspace(0.0, _WARMEST_C, 41)
    here, level = saturation_mg_l(temperatures, hpa), saturation_mg_l(temperatures, ATMOSPHERE_HPA)
    x, y = Scale(0.0, _WARMEST_C, _LEFT, _RIGHT), Scale(0.0, 16.0, _BOTTOM, _TOP)

    def path(values: np.ndarray) -> str:
        return " ".join(f"{x(t)},{y(v)}" for t, v in zip(temperatures, values, strict=True))

    points = []
    for s in view.steps:
        if s.point is None or s.point.signal is None or view.response is None:
            continue
        t, full = s.point.temperature_c, float(saturation_mg_l(s.point.temperature_c, hpa))
        shown = full * float(view.response.value(s.point.signal, where(view.run, t))) / 100.0
        anchor = "end" if x(t) > _RIGHT - 110 else "start"
        points.append(
            ShownPoint(
                x(t),
                y(max(min(shown, 16.0), 0.0)),
                y(full * s.point.target / 100.0),
                f"{signed(shown, 2)} mg/L",
                anchor,
            )
        )
    return SaturationFigure(
        here=path(here),
        at_sea_level=path(level),
        here_words=f"saturated at {hpa:.0f} hPa",
        points=tuple(points),
        x_ticks=tuple((x(t), f"{t:g}") for t in (0, 10, 20, 30, 40)),
        y_ticks=tuple((y(v), f"{v:g}") for v in (0, 4, 8, 12, 16)),
    )
