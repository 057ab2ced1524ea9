"""The line of a pH electrode through its calibration points, and readings taken with it.

The mathematics never depends on the order of the points; the record keeps the order as done.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brumel.core.errors import NotEnoughPoints
from brumel.core.quantities.ph import ISOPOTENTIAL_PH, millivolts_from_ph, nernst_slope_mv, ph_from_millivolts
from brumel.core.uncertainty import Budget, Contribution

Array = NDArray[np.float64]

U_MV = 0.15
"""Standard uncertainty of one settled potential, mV: half the settling span (rule of this product)."""
U_TEMPERATURE_C = 0.2 / 3**0.5
"""Standard uncertainty of the probe's thermometer, °C: ±0.2 °C as limits (common practice)."""
ASSUMED_SLOPE_PERCENT = 100.0
ASSUMED_U_SLOPE_PERCENT = 2.5
"""Standard uncertainty of an assumed slope: new electrodes have 95 to 102 %, worn ones less (rule of this product)."""
DRIFT_PH_PER_DAY = 0.01
"""Drift of a calibrated electrode as bounds ±, pH per day (common practice; a house value)."""
U_ISOPOTENTIAL_PH = 0.5 / 3**0.5
"""Standard uncertainty of the isopotential point about pH 7.00: ±0.5 pH as limits (common practice)."""
U_JUNCTION_PH = 0.02
"""Standard uncertainty from the junction: its potential in a sample is not that in a buffer; pH (common practice)."""

LEFT_OVER = "left of the approach"
"""Name of that part of a budget."""
SAME_BUFFER_PH = 0.5
"""Buffers nearer together than this carry no slope of their own, pH (rule of this product)."""


@dataclass(frozen=True)
class FitPoint:
    """One calibration point as the fit sees it.

    Attributes
    ----------
    ph
        Value of the buffer at its measured temperature.
    mv
        Settled potential, mV.
    temperature_c
        Temperature of the buffer, °C.
    u_ph
        Standard uncertainty of the buffer's value, pH (k = 1).
    u_mv
        Standard uncertainty of the potential, mV (k = 1).
    bottle
        Points with one name share that bottle's certificate error; empty: a bottle of its own.
    """

    ph: float
    mv: float
    temperature_c: float
    u_ph: float = 0.01
    u_mv: float = U_MV
    bottle: str = ""


@dataclass(frozen=True)
class CarriedSlope:
    """A slope that a one-point run takes over: from the last full run, or assumed."""

    slope_percent: float = ASSUMED_SLOPE_PERCENT
    u_slope_percent: float = ASSUMED_U_SLOPE_PERCENT
    assumed: bool = True


@dataclass(frozen=True)
class ElectrodeFit:
    """The electrode's line.

    Attributes
    ----------
    slope_percent
        Slope as percent of the Nernst slope.
    offset_mv
        Potential at pH 7.00, mV.
    u_slope_percent, u_offset_mv
        Their standard uncertainties (k = 1).
    covariance
        Covariance of offset, mV, and slope, % (mV·%).
    residuals_ph
        For each point, pH by the fitted line minus the buffer's value.
    consistency
        Probability of at least this much scatter from the stated uncertainties; None below three points.
    slope_carried
        None where the slope was fitted; else where it came from.
    temperature_c
        Mean temperature of the buffers, °C; None where it is not known.
    """

    slope_percent: float
    offset_mv: float
    u_slope_percent: float
    u_offset_mv: float
    covariance: float
    residuals_ph: tuple[float, ...]
    consistency: float | None
    slope_carried: CarriedSlope | None = None
    temperature_c: float | None = None

    def ph(self, mv: float, temperature_c: float) -> float:
        """pH of a sample from its potential, mV, at its own temperature, °C."""
        return float(ph_from_millivolts(mv, temperature_c, self.slope_percent, self.offset_mv))

    def millivolts(self, ph: float, temperature_c: float) -> float:
        """Potential, mV, that this electrode gives in a liquid of this pH and temperature."""
        return float(millivolts_from_ph(ph, temperature_c, self.slope_percent, self.offset_mv))

    def ph_budget(
        self, mv: float, temperature_c: float, *, u_mv: float = U_MV, age_days: float = 0.0, left_over_ph: float = 0.0
    ) -> Budget:
        """Where the uncertainty of a pH reading with this line comes from, pH.

        Parameters
        ----------
        mv, temperature_c
            The reading: potential, mV, and temperature of the sample, °C.
        u_mv
            Standard uncertainty of the potential, mV (k = 1).
        age_days
            Days since the calibration, for the drift.
        left_over_ph
            What was left of the approach when the reading was accepted, pH.

        Notes
        -----
        Source: JCGM 100:2008, first order, slope and offset with their covariance from the fit.
        """
        sensitivity = _Sensitivity.of(self, mv, temperature_c)
        fit_variance = (
            (sensitivity.offset * self.u_offset_mv) ** 2
            + (sensitivity.slope * self.u_slope_percent) ** 2
            + 2 * sensitivity.offset * sensitivity.slope * self.covariance
        )
        return Budget.of(
            [
                Contribution("calibration line", max(fit_variance, 0.0) ** 0.5, "pH", 1.0),
                Contribution("potential", u_mv, "mV", sensitivity.mv),
                Contribution("temperature", U_TEMPERATURE_C, "°C", sensitivity.temperature),
                Contribution("isopotential point", U_ISOPOTENTIAL_PH, "pH", sensitivity.isopotential),
                Contribution(LEFT_OVER, left_over_ph, "pH", 1.0),
                Contribution("junction in the sample", U_JUNCTION_PH, "pH", 1.0),
                Contribution("drift since calibration", DRIFT_PH_PER_DAY * age_days / 3**0.5, "pH", 1.0),
            ]
        )


@dataclass(frozen=True)
class _Sensitivity:
    mv: float
    temperature: float
    offset: float
    slope: float
    isopotential: float

    @classmethod
    def of(cls, fit: ElectrodeFit, mv: float, temperature_c: float) -> _Sensitivity:
        k = float(nernst_slope_mv(temperature_c))
        step = float(nernst_slope_mv(temperature_c + 0.5)) - float(nernst_slope_mv(temperature_c - 0.5))
        s = fit.slope_percent / 100.0
        distance = fit.ph(mv, temperature_c) - ISOPOTENTIAL_PH
        return cls(
            mv=-1.0 / (s * k),
            temperature=-distance * step / k,
            offset=1.0 / (s * k),
            slope=-distance / fit.slope_percent,
            isopotential=0.0 if fit.temperature_c is None else 1.0 - float(nernst_slope_mv(fit.temperature_c)) / k,
        )


def fit_electrode(points: Sequence[FitPoint], carried: CarriedSlope | None = None) -> ElectrodeFit:
    """Fit slope and offset through the points by least squares.

    Parameters
    ----------
    points
        One or more points; the order does not matter.
    carried
        The slope for a fit that can't have its own (one point, or all in one buffer); assumed 100 %
        where none is given.

    Returns
    -------
    ElectrodeFit
        With uncertainties from the points' own (type B), the temperature's error common to all points.

    Raises
    ------
    NotEnoughPoints
        Without a point.

    Notes
    -----
    Source: model in :mod:`brumel.core.quantities.ph`; ordinary least squares of E on −k(T)·(pH − 7);
    propagation JCGM 100:2008. Consistency: chi-squared of the residuals against their uncertainties.

    Examples
    --------
    >>> fit = fit_electrode([FitPoint(7.00, 3.0, 25.0), FitPoint(4.01, 178.0, 25.0)])
    >>> round(fit.slope_percent, 1), round(fit.offset_mv, 1)
    (98.9, 3.0)
    """
    if not points:
        raise NotEnoughPoints("A fit needs at least one calibration point; none was given: take a point.")
    ph, mv, temperature, u_ph, u_mv = np.array(
        [(p.ph, p.mv, p.temperature_c, p.u_ph, p.u_mv) for p in points], dtype=float
    ).T
    k = nernst_slope_mv(temperature)
    x = -k * (ph - ISOPOTENTIAL_PH)
    if np.ptp(ph) < SAME_BUFFER_PH:
        return _one_buffer_fit(points, mv, temperature, x, carried or CarriedSlope())
    design = np.column_stack([np.ones_like(x), x])
    solve = np.linalg.pinv(design)
    offset, s = solve @ mv
    u_point = np.hypot(u_mv, s * k * u_ph)
    covariance = _covariance(solve, s, points)
    residual_mv = mv - offset - s * x
    consistency = None
    if len(points) >= 3:
        from scipy.special import chdtrc  # imported late: it costs more than the fit

        consistency = float(chdtrc(len(points) - 2, float(np.sum((residual_mv / u_point) ** 2))))
    return ElectrodeFit(
        slope_percent=float(100.0 * s),
        offset_mv=float(offset),
        u_slope_percent=float(100.0 * np.sqrt(covariance[1, 1])),
        u_offset_mv=float(np.sqrt(covariance[0, 0])),
        covariance=float(100.0 * covariance[0, 1]),
        residuals_ph=_residuals_ph(residual_mv, s, k),
        consistency=consistency,
        temperature_c=float(temperature.mean()),
    )


def _one_buffer_fit(
    points: Sequence[FitPoint], mv: Array, temperature: Array, x: Array, carried: CarriedSlope
) -> ElectrodeFit:
    """Offset only: the slope is carried over."""
    s = carried.slope_percent / 100.0
    k = nernst_slope_mv(temperature)
    offset = float(np.mean(mv - s * x))
    slope_share = float(x.mean()) / 100.0
    mean = np.full((1, len(mv)), 1.0 / len(mv))
    variance = _covariance(mean, s, points)[0, 0] + (slope_share * carried.u_slope_percent) ** 2
    return ElectrodeFit(
        slope_percent=carried.slope_percent,
        offset_mv=offset,
        u_slope_percent=carried.u_slope_percent,
        u_offset_mv=float(np.sqrt(variance)),
        covariance=-slope_share * carried.u_slope_percent**2,
        residuals_ph=_residuals_ph(mv - offset - s * x, s, k),
        consistency=None,
        slope_carried=carried,
        temperature_c=float(temperature.mean()),
    )


def _covariance(solve: Array, s: float, points: Sequence[FitPoint]) -> Array:
    """Covariance of what ``solve`` makes of the potentials: each point's own error, its bottle's, one thermometer's."""
    u_mv = np.array([p.u_mv for p in points])
    temperature = np.array([p.temperature_c for p in points])
    from_seven = np.array([p.ph for p in points]) - ISOPOTENTIAL_PH
    per_degree = nernst_slope_mv(temperature + 0.5) - nernst_slope_mv(temperature - 0.5)
    shared = [s * from_seven * per_degree * U_TEMPERATURE_C]
    certificates = s * nernst_slope_mv(temperature) * np.array([p.u_ph for p in points])
    bottles = [p.bottle or f"bottle {n}" for n, p in enumerate(points)]
    shared += [np.where([b == bottle for b in bottles], certificates, 0.0) for bottle in dict.fromkeys(bottles)]
    covariance = solve @ np.diag(u_mv**2) @ solve.T
    for error in shared:
        covariance = covariance + np.outer(solve @ error, solve @ error)
    return np.asarray(covariance)


def _residuals_ph(residual_mv: Array, s: float, k: Array) -> tuple[float, ...]:
    if s == 0:
        return tuple(float("inf") if r else 0.0 for r in residual_mv)
    return tuple(float(r) + 0.0 for r in -residual_mv / (s * k))  # zero has no sign
