"""The decades of conductivity: what the cell is made for, the waters planned, and where the standards stand."""

from __future__ import annotations

import math
from dataclasses import dataclass

from brumel.core.wording import grouped
from brumel.services.calibrating.shown import RunView
from brumel.services.probes.what_it_is import kind_of
from brumel.web.figures.scale import Scale

_LOWEST, _HIGHEST = 10.0, 200_000.0
_LEFT, _RIGHT = 96.0, 548.0


@dataclass(frozen=True)
class Standing:
    """A standard on the scale."""

    x: float
    words: str
    anchor: str


@dataclass(frozen=True)
class DecadesFigure:
    """Places of all lines, in pixels: a row for the cell, one for the waters, one for the standards."""

    cell: tuple[float, float]
    waters: tuple[float, float] | None
    standards: tuple[Standing, ...]
    ticks: tuple[tuple[float, str], ...]
    unit: str
    covered: bool
    """Whether a standard stands at or above the waters planned."""
    width: float = 560.0
    height: float = 128.0
    left: float = _LEFT
    right: float = _RIGHT


def decades_figure(view: RunView) -> DecadesFigure | None:
    """Lay the decades out; None where it is not said what the cell is made for."""
    about = view.waters
    reach = kind_of(view.run.probe).suits.get(about.key)
    if reach is None:
        return None
    scale = Scale(math.log10(_LOWEST), math.log10(_HIGHEST), _LEFT, _RIGHT)

    def x(value: float) -> float:
        return scale(math.log10(min(max(value, _LOWEST), _HIGHEST)))

    waters = view.waters_reach
    values = sorted({s.lot.nominal for s in view.steps if s.lot and s.lot.nominal})
    return DecadesFigure(
        cell=(x(reach[0]), x(reach[1])),
        waters=(x(waters[0]), x(waters[1])) if waters else None,
        standards=tuple(Standing(x(v), grouped(v), "end" if x(v) > _RIGHT - 60 else "start") for v in values),
        ticks=tuple((x(10.0**n), grouped(10.0**n)) for n in range(1, 6)),
        unit=about.unit,
        covered=not waters or any(v >= math.sqrt(waters[0] * waters[1]) for v in values),
    )
