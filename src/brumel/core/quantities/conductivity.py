"""Electrolytic conductivity: to a reference temperature and back, cell constant, dissolved solids.

Specific conductance is the conductivity at a reference temperature, 25 °C (or 20 °C), µS/cm. A reading
that a meter has compensated already must be undone before it is compensated again.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from brumel.core.numbers.arrays import Array, Number, in_blocks
from brumel.core.numbers.curves import MonotoneCurve, printed_table, span

REFERENCE_C = 25.0
_GRID_C = 5.0
KCL_STANDARDS_US_CM = (84.0, 147.0, 1413.0, 12_880.0, 80_000.0, 111_800.0)
"""Standards of potassium chloride that are sold, by their value at 25 °C."""
KCL_PERCENT_PER_C = 1.91
"""Of potassium chloride near 25 °C, within 0.4 % from 15 to 30 °C (common practice)."""
COMPENSATIONS = {"linear": "linear", "natural-water": "natural waters (ISO 7888)"}
"""What meters offer, by key."""
OF_WATERS = COMPENSATIONS | {"sea-salt": "sea salt (PSS-78)"}
"""For the water itself; no meter offers sea salt."""


def linear_factor(temperature_c: Number, coefficient_percent_per_c: Number, reference_c: Number) -> Array:
    """Return what a linear compensation multiplies by: 1 / (1 + α (t − t_ref)); α in % per °C at the reference.

    Source: common practice; the coefficient is always named beside the result. Not a number where the
    denominator is not positive.

    Examples
    --------
    >>> round(float(linear_factor(18.0, 2.0, 25.0)), 4)
    1.1628
    """
    return in_blocks(linear_block, temperature_c, coefficient_percent_per_c, reference_c)


def linear_block(t: Array, coefficient: Number, reference: Number) -> Array:
    """Return the same for one block of rows."""
    divisor = (t - reference) * (coefficient * 0.01)
    divisor += 1.0
    if divisor.min(initial=1.0) <= 0:
        divisor[divisor <= 0] = np.nan
    return np.divide(1.0, divisor, out=divisor)


def natural_water_curve() -> MonotoneCurve:
    """Factor from conductivity at temperature to 25 °C for natural waters, 0–35 °C."""
    return printed_table("natural_water.csv", "to", "temperature_c", "factor")["25"]


def natural_water_factor(temperature_c: Number, reference_c: Number = REFERENCE_C) -> Array:
    """Return what the non-linear compensation of natural waters multiplies by; to 20 °C by the ratio of factors.

    Source: ISO 7888:1985 / EN 27888:1993, 0–35 °C; between the printed five degrees a monotone cubic.
    Never for potassium chloride standards or sea water. Not a number outside 0–35 °C.

    Examples
    --------
    >>> round(float(natural_water_factor(10.0)), 3), round(float(natural_water_factor(10.0, 20.0)), 3)
    (1.428, 1.28)
    """
    factor = in_blocks(natural_block, temperature_c)
    if np.all(np.asarray(reference_c) == REFERENCE_C):
        return factor
    return factor / natural_water_curve()(reference_c)


def natural_block(t: Array) -> Array:
    """Return the factor to 25 °C for one block of rows; the table's even steps spare the search for the interval."""
    low, high, (value, slope, square, cube) = _natural_terms()
    whole = bool(t.min(initial=low) >= low and t.max(initial=high) <= high)
    inside = t if whole else np.where((t >= low) & (t <= high), t, low)
    step = np.floor(inside * (1.0 / _GRID_C))
    interval = step.astype(np.intp)
    step *= -_GRID_C
    step += inside
    d, found, term = step, np.empty_like(step), np.empty_like(step)
    cube.take(interval, out=found, mode="clip")
    for terms in (square, slope, value):
        found *= d
        found += terms.take(interval, out=term, mode="clip")
    if not whole:
        found[~((t >= low) & (t <= high))] = np.nan
    return found


@cache
def _natural_terms() -> tuple[float, float, Array]:
    """Return the table's ends and the terms of its intervals, with one more interval of no length for 35 °C itself."""
    curve = natural_water_curve()
    low, high = span(curve)
    end = [[float(curve(high)), 0.0, 0.0, 0.0]]
    return low, high, np.ascontiguousarray(np.vstack([curve.coefficients, end]).T)


def total_dissolved_solids_mg_l(conductivity_us_cm: Number, factor: Number) -> Array:
    """Total dissolved solids, mg/L, by a stated factor from conductivity at 25 °C, µS/cm (not mS/cm).

    Source: common practice; the factor, 0.45–1.00, depends on the salts and is always named.
    """
    return np.asarray(conductivity_us_cm) * factor


def resistivity_ohm_cm(conductivity_us_cm: Number) -> Array:
    """Resistivity, Ω·cm: the reciprocal of conductivity. 1 µS/cm is 1 MΩ·cm."""
    return 1e6 / np.asarray(conductivity_us_cm)


def kcl_curves() -> dict[str, MonotoneCurve]:
    """Conductivity of the potassium chloride standards with a table, µS/cm against °C, by value at 25 °C."""
    return printed_table("kcl.csv", "standard", "temperature_c", "conductivity_us_cm")
