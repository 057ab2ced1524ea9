"""Dissolved oxygen: saturation, percent and concentration, and a pond's night.

Percent of saturation is at the local (station) pressure, never at sea level's, unless it says so.
"""

from __future__ import annotations

import numpy as np

from brumel.core.numbers.arrays import Array, Number, in_blocks, polynomial
from brumel.core.numbers.constants import ZERO_CELSIUS_K

ATMOSPHERE_HPA = 1013.25
"""Standard atmosphere, hPa; exact by definition."""
_FRESH = (-139.34411, 1.575701e5, -6.642308e7, 1.243800e10, -8.621949e11)
_SALT = (0.017674, -10.754, 2140.7)
_VAPOUR = (11.8571, -3840.70, -216961.0)
_THETA = (0.000975, -1.426e-5, 6.436e-8)


def vapour_pressure_hpa(temperature_c: Number) -> Array:
    """Pressure of water vapour over water, hPa, as the saturation's own formula has it.

    Source: Benson & Krause 1980, as in Standard Methods 4500-O; 0–40 °C.

    Examples
    --------
    >>> float(vapour_pressure_hpa(20.0).round(2))
    23.38
    """
    inverse = 1.0 / (np.asarray(temperature_c, dtype=float) + ZERO_CELSIUS_K)
    return np.asarray(np.exp(polynomial(inverse, _VAPOUR)) * ATMOSPHERE_HPA)


def saturation_mg_l(temperature_c: Number, pressure_hpa: Number = ATMOSPHERE_HPA, salinity: Number = 0.0) -> Array:
    """Oxygen in water in equilibrium with moist air, mg/L, at station pressure, hPa.

    Source: Benson & Krause 1980, 1984, as in Standard Methods 4500-O and USGS memo 2011.03; 0–40 °C,
    salinity 0–40. The tempting wrong pressure: the weather report's, reduced to sea level.

    Examples
    --------
    >>> round(float(saturation_mg_l(20.0)), 3), round(float(saturation_mg_l(13.2, 742.0)), 2)
    (9.092, 7.64)
    """
    return in_blocks(saturation_block, temperature_c, pressure_hpa, salinity)


def saturation_block(t: Array, pressure_hpa: Array, salinity: Array) -> Array:
    """Oxygen at saturation, mg/L, of one block of rows."""
    inverse = 1.0 / (t + ZERO_CELSIUS_K)
    found = polynomial(inverse, _FRESH)
    salt = polynomial(inverse, _SALT)
    salt *= salinity
    found -= salt
    np.exp(found, out=found)
    pressure = pressure_hpa * (1.0 / ATMOSPHERE_HPA)
    vapour = polynomial(inverse, _VAPOUR)
    np.exp(vapour, out=vapour)
    theta = polynomial(t, _THETA)
    found *= pressure - vapour
    pressure *= theta
    found *= np.subtract(1.0, pressure, out=pressure)
    vapour -= 1.0
    theta -= 1.0
    vapour *= theta
    found /= vapour
    return found


def projected_mg_l(first_s: float, first_mg_l: float, second_s: float, second_mg_l: float, at_s: float) -> float:
    """Oxygen at a time on the straight line through two readings of the evening, mg/L.

    Source: Boyd, Romaire & Johnston 1978: night oxygen of ponds falls nearly in a straight line.
    """
    return first_mg_l + (second_mg_l - first_mg_l) / (second_s - first_s) * (at_s - first_s)
