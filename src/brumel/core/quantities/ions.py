"""Ions: activity from conductivity, and the line of an ion-selective electrode."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from brumel.core.arrays import Array, Number
from brumel.core.errors import NotEnoughPoints
from brumel.core.quantities.ph import nernst_slope_mv

IONIC_STRENGTH_PER_US_CM = 1.6e-5
"""Ionic strength, mol/L, for each µS/cm at 25 °C. Source: Griffin & Jurinak 1973, as common practice rounds it."""
_DAVIES_A = 0.509


def activity_coefficient(conductivity_us_cm: Number, charge: Number) -> Array:
    """Activity coefficient of an ion in water of a conductivity at 25 °C, µS/cm.

    Source: Davies 1962, log γ = −A z² (√I / (1 + √I) − 0.3 I), A = 0.509 at 25 °C, up to I = 0.5 mol/L.

    Examples
    --------
    >>> round(float(activity_coefficient(1000.0, 1)), 2)
    0.88
    """
    strength = IONIC_STRENGTH_PER_US_CM * np.asarray(conductivity_us_cm, dtype=float)
    root = np.sqrt(strength)
    return 10.0 ** (-_DAVIES_A * np.asarray(charge) ** 2 * (root / (1.0 + root) - 0.3 * strength))


@dataclass(frozen=True)
class IonPoint:
    """One point of an ion-selective electrode: activity (any unit, the same in all), mV, °C."""

    activity: float
    mv: float
    temperature_c: float


@dataclass(frozen=True)
class IonFit:
    """The line: mV per decade, signed by the ion's charge, at the mean temperature; percent of Nernst."""

    slope_mv_per_decade: float
    slope_percent: float
    temperature_c: float


def fit_ion_electrode(points: Sequence[IonPoint], charge: int) -> IonFit:
    """Least squares of mV on the decades of activity, each at its own temperature's Nernst slope.

    Source: Nernst equation; ordinary least squares.

    Examples
    --------
    >>> fit = fit_ion_electrode([IonPoint(46.2, 90.0, 25.0), IonPoint(4.62, 33.0, 25.0)], 1)
    >>> round(fit.slope_mv_per_decade, 1), round(fit.slope_percent, 1)
    (57.0, 96.3)
    """
    activity, mv, temperature = np.array([(p.activity, p.mv, p.temperature_c) for p in points], dtype=float).T
    decades = np.log10(activity)
    if len(points) < 2 or np.ptp(decades) < 0.1:
        raise NotEnoughPoints("An ion electrode's slope needs two activities, best a decade apart; take another point.")
    steps = nernst_slope_mv(temperature, charge) * decades
    design = np.column_stack([np.ones_like(steps), steps])
    share = float((np.linalg.pinv(design) @ mv)[1])
    mean = float(temperature.mean())
    return IonFit(share * float(nernst_slope_mv(mean, charge)), 100.0 * share, mean)
