"""A smooth curve through a printed table that overshoots nothing."""

from __future__ import annotations

import csv
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

import numpy as np
from numpy.typing import ArrayLike

from brumel.core.numbers.arrays import Array


@dataclass(frozen=True)
class MonotoneCurve:
    """Monotone piecewise cubic through the points of a table; not a number outside it.

    Source: Fritsch & Carlson 1980 with the three-point slopes of Fritsch & Butland 1984, the curve that
    SciPy calls PCHIP. Written in NumPy because importing SciPy's costs more than a whole calculation.
    """

    x: Array
    coefficients: Array
    """One row an interval: value, slope, square and cube terms from the interval's left end."""

    @classmethod
    def through(cls, x: ArrayLike, y: ArrayLike) -> MonotoneCurve:
        """Return the curve through points of rising ``x``.

        Examples
        --------
        >>> float(MonotoneCurve.through([0.0, 1.0, 2.0], [0.0, 1.0, 4.0])(1.5))
        2.1875
        """
        xs, ys = np.asarray(x, dtype=float), np.asarray(y, dtype=float)
        if xs.size < 2 or np.any(np.diff(xs) <= 0):
            raise ValueError("a curve needs at least two places that rise")
        step, rise = np.diff(xs), np.diff(ys) / np.diff(xs)
        slope = _slopes(step, rise)
        square = (3 * rise - 2 * slope[:-1] - slope[1:]) / step
        cube = (slope[:-1] + slope[1:] - 2 * rise) / step**2
        return cls(xs, np.column_stack([ys[:-1], slope[:-1], square, cube]))

    def __call__(self, at: ArrayLike) -> Array:
        """Return values at places of any shape; not a number outside the table."""
        places = np.asarray(at, dtype=float)
        interval = np.clip(np.searchsorted(self.x, places, side="right") - 1, 0, len(self.coefficients) - 1)
        value, slope, square, cube = self.coefficients.T
        t = places - self.x[interval]
        found = ((cube[interval] * t + square[interval]) * t + slope[interval]) * t + value[interval]
        return np.where((places >= self.x[0]) & (places <= self.x[-1]), found, np.nan)


def _slopes(step: Array, rise: Array) -> Array:
    if rise.size == 1:
        return np.array([rise[0], rise[0]])
    left, right = rise[:-1], rise[1:]
    turns = left * right <= 0
    near, far = 2 * step[1:] + step[:-1], step[1:] + 2 * step[:-1]
    with np.errstate(divide="ignore", invalid="ignore"):
        inner = np.where(turns, 0.0, (near + far) / (near / left + far / right))
    return np.concatenate(
        [[_end(step[0], step[1], rise[0], rise[1])], inner, [_end(step[-1], step[-2], rise[-1], rise[-2])]]
    )


def _end(step: float, next_step: float, rise: float, next_rise: float) -> float:
    slope = ((2 * step + next_step) * rise - step * next_rise) / (step + next_step)
    if slope * rise <= 0:
        return 0.0
    if rise * next_rise <= 0 and abs(slope) > 3 * abs(rise):
        return 3.0 * rise
    return float(slope)


@cache
def curve_through(points: tuple[tuple[float, float], ...]) -> MonotoneCurve:
    """Return the curve through a table of pairs, made once a table."""
    return MonotoneCurve.through([p[0] for p in points], [p[1] for p in points])


@cache
def printed_table(name: str, key: str, x: str, y: str) -> dict[str, MonotoneCurve]:
    """Curves from a table under ``standards``, one for each value of its column ``key``."""
    text = files("brumel.core.standards").joinpath(name).read_text(encoding="utf-8")
    points: dict[str, list[tuple[float, float]]] = {}
    for row in csv.DictReader(text.splitlines()):
        points.setdefault(row[key], []).append((float(row[x]), float(row[y])))
    return {k: curve_through(tuple(rows)) for k, rows in points.items()}


def span(curve: MonotoneCurve) -> tuple[float, float]:
    """Return the first and the last place of a curve's table."""
    return float(curve.x[0]), float(curve.x[-1])
