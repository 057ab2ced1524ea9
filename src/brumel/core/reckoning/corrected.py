"""A multiparameter probe's rows corrected in one pass: salinity, specific conductance, oxygen in mg/L."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brumel.core.numbers.arrays import BLOCK, Array
from brumel.core.quantities.conductivity import REFERENCE_C, linear_block, natural_block
from brumel.core.quantities.oxygen import saturation_block
from brumel.core.quantities.salinity import salinity_block


@dataclass(frozen=True)
class CorrectedRows:
    """What the rows come to, one array each.

    ``salinity`` practical salinity; ``linear_us_cm``, ``natural_us_cm`` specific conductance at 25 °C by both
    compensations, µS/cm; ``oxygen_mg_l`` with that salinity and the station pressure.
    """

    salinity: Array
    linear_us_cm: Array
    natural_us_cm: Array
    oxygen_mg_l: Array


def corrected_rows(
    temperature_c: Array,
    conductivity_us_cm: Array,
    oxygen_percent: Array,
    pressure_hpa: Array,
    coefficient_percent_per_c: float = 2.0,
) -> CorrectedRows:
    """Correct rows of temperature, °C, raw conductivity, µS/cm, percent saturation and station pressure, hPa.

    The four formulas share each block of rows while it is in the processor's cache. Sources stand with the formulas.

    Examples
    --------
    >>> one = np.array([20.0]), np.array([5000.0]), np.array([80.0]), np.array([1000.0])
    >>> [round(float(a[0]), 3) for a in vars(corrected_rows(*one)).values()]
    [2.998, 5555.556, 5580.0, 7.051]
    """
    size = len(temperature_c)
    found = CorrectedRows(*(np.empty(size) for _ in range(4)))
    for begin in range(0, size, BLOCK):
        rows = slice(begin, begin + BLOCK)
        t, raw = temperature_c[rows], conductivity_us_cm[rows]
        found.salinity[rows] = salinity = salinity_block(raw * 0.001, t)
        np.multiply(linear_block(t, coefficient_percent_per_c, REFERENCE_C), raw, out=found.linear_us_cm[rows])
        np.multiply(natural_block(t), raw, out=found.natural_us_cm[rows])
        oxygen = saturation_block(t, pressure_hpa[rows], salinity)
        oxygen *= oxygen_percent[rows]
        np.multiply(oxygen, 0.01, out=found.oxygen_mg_l[rows])
    return found
