"""The one fit: each coefficient free, carried or fixed; one point, two or five, or none, are one case."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np

from brumel.core.errors import NotEnoughPoints
from brumel.core.numbers.arrays import Array
from brumel.core.place.conditions import U_TEMPERATURE_C, Conditions
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.response import Origin, Response, as_rows


class Weights(StrEnum):
    """How much each point counts: all the same, or by its own size, so that a low standard is kept as well."""

    EQUAL = "equal"
    RELATIVE = "relative"


@dataclass(frozen=True)
class Point:
    """One calibration point as the fit sees it.

    Attributes
    ----------
    value
        The target: what the standard is at its measured temperature.
    signal
        Settled signal of the probe.
    at
        The conditions, floats.
    u_value, u_signal
        Standard uncertainties of both (k = 1).
    bottle
        Points with one name share that bottle's certificate error; empty: a bottle of its own.
    """

    value: float
    signal: float
    at: Conditions
    u_value: float
    u_signal: float
    bottle: str = ""


@dataclass(frozen=True)
class _Columns:
    points: Sequence[Point]
    values: Array = field(init=False)
    signals: Array = field(init=False)
    at: Conditions = field(init=False)

    def __post_init__(self) -> None:
        values, signals, temperatures, pressures = np.array(
            [(p.value, p.signal, p.at.temperature_c, p.at.pressure_hpa) for p in self.points], dtype=float
        ).T
        object.__setattr__(self, "values", values)
        object.__setattr__(self, "signals", signals)
        object.__setattr__(self, "at", replace(self.points[0].at, temperature_c=temperatures, pressure_hpa=pressures))


def fit(
    principle: Principle, points: Sequence[Point], prior: Response | None = None, weights: Weights = Weights.EQUAL
) -> Response:
    """Fit a principle's coefficients through calibration points by least squares.

    Parameters
    ----------
    principle
        Says the terms.
    points
        Any number; their order does not matter. A coefficient that they can't tell is carried.
    prior
        The last full run, for coefficients that are carried; what is usual where there is none.
    weights
        Whether a relative error of each point counts the same.

    Raises
    ------
    NotEnoughPoints
        Without a point and without a last run.

    Notes
    -----
    Source: ordinary or weighted least squares in closed form; propagation JCGM 100:2008 from the points' own
    uncertainties (type B), each bottle's certificate and the one thermometer shared, carried coefficients with their
    covariance. Consistency: chi-squared of the residuals against their uncertainties.

    Examples
    --------
    >>> from brumel.core.sensing.principles import principle
    >>> at = Conditions(25.0)
    >>> line = fit(principle("glass"), [Point(7.00, 3.0, at, 0.01, 0.15), Point(4.01, 178.0, at, 0.01, 0.15)])
    >>> round(line["slope"], 1), round(line["offset"], 1)
    (98.9, 3.0)
    """
    if not points:
        if prior is None:
            raise NotEnoughPoints("A fit needs at least one calibration point; none was given: take a point.")
        return _carried(prior)
    known = Response.usual(principle) if prior is None else _carried(prior)
    columns = _Columns(points)
    free = [
        i
        for i, c in enumerate(principle.coefficients)
        if not c.fixed and principle.tells(columns.values, columns.at, c)
    ]
    kept = [i for i in range(len(principle.coefficients)) if i not in free]
    terms = principle.term_columns(columns.values, columns.at)
    weight = np.ones(len(points))
    if weights is Weights.RELATIVE:
        weight = 1.0 / np.hypot(columns.signals, principle.u_signal)  # a zero weighs no more than its own error allows
    solve = np.linalg.pinv(terms[:, free] * weight[:, None]) * weight
    found = np.array(known.values)
    found[free] = solve @ (columns.signals - terms[:, kept] @ found[kept])
    line = Response(principle, tuple(float(v) for v in found), known.covariance, known.origins)
    origins = tuple(Origin.FITTED if i in free else o for i, o in enumerate(known.origins))
    fitted = Response(
        principle,
        line.values,
        as_rows(_covariance(line, columns, solve, terms, free, kept)),
        origins,
        residuals=_residuals(line, columns),
        temperature_c=float(np.average(columns.at.temperature_c, weights=principle.warmed_by(columns.values))),
    )
    if not fitted.full or len(points) < 3 or len(points) <= len(free):
        return fitted
    return replace(fitted, consistency=_consistency(line, columns, len(free)))


def _carried(prior: Response) -> Response:
    """Return the last run as what is taken over from it."""
    taken = {Origin.FITTED: Origin.CARRIED, Origin.REPORTED: Origin.CARRIED}
    origins = tuple(taken.get(o, o) for o in prior.origins)
    return Response(prior.principle, prior.values, prior.covariance, origins, temperature_c=prior.temperature_c)


def _covariance(
    line: Response, columns: _Columns, solve: Array, terms: Array, free: list[int], kept: list[int]
) -> Array:
    """Of all coefficients: what is carried keeps its own and passes it on, what is free has the points' errors too."""
    size = len(line.values)
    from_prior = np.zeros((size, size))
    from_prior[kept, kept] = 1.0
    from_prior[np.ix_(free, kept)] = -solve @ terms[:, kept]
    from_points = np.zeros((size, len(columns.points)))
    from_points[free] = solve
    covariance = from_prior @ np.array(line.covariance) @ from_prior.T
    covariance += from_points @ np.diag([p.u_signal**2 for p in columns.points]) @ from_points.T
    for error in _shared_errors(line, columns):
        moved = from_points @ error
        covariance += np.outer(moved, moved)
    return np.asarray(covariance)


def _shared_errors(line: Response, columns: _Columns) -> list[Array]:
    """Errors that several points share, in the signal: one thermometer's, and each bottle's."""
    certificates = line.signal_per_value(columns.values, columns.at) * np.array([p.u_value for p in columns.points])
    bottles = [p.bottle or f"bottle {n}" for n, p in enumerate(columns.points)]
    return [
        line.signal_per_degree(columns.values, columns.at) * U_TEMPERATURE_C,
        *(np.where([b == bottle for b in bottles], certificates, 0.0) for bottle in dict.fromkeys(bottles)),
    ]


def _residuals(line: Response, columns: _Columns) -> tuple[float, ...]:
    off = columns.signals - line.signal(columns.values, columns.at)
    if line.values[line.principle.value_term] == 0:
        return tuple(float("inf") if r else 0.0 for r in off)
    found = off / line.signal_per_value(columns.values, columns.at)
    return tuple(float(r) + 0.0 for r in found)  # zero has no sign


def _consistency(line: Response, columns: _Columns, fitted: int) -> float:
    from scipy.special import chdtrc  # imported late: it costs more than the fit

    u_value = np.array([p.u_value for p in columns.points])
    u_signal = np.array([p.u_signal for p in columns.points])
    u = np.hypot(u_signal, line.signal_per_value(columns.values, columns.at) * u_value)
    off = columns.signals - line.signal(columns.values, columns.at)
    return float(chdtrc(len(columns.points) - fitted, float(np.sum((off / u) ** 2))))
