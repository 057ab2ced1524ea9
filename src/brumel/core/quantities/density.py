"""Density of sea water at the surface, for hydrometers and refractometers."""

from __future__ import annotations

import numpy as np

from brumel.core.numbers.arrays import Array, Number
from brumel.core.quantities.salinity import IPTS68_FROM_ITS90

WATER_AT_4_C_KG_M3 = 999.975
"""Greatest density of pure water, kg/m³, to which "25/4" refers. Source: EOS-80's own at 3.98 °C."""


def sea_water_density_kg_m3(salinity: Number, temperature_c: Number) -> Array:
    """Density of sea water at atmospheric pressure, kg/m³.

    Source: EOS-80, UNESCO 1983; salinity 0–42, −2–40 °C. TEOS-10 differs by up to 0.0083 kg/m³.

    Examples
    --------
    >>> round(float(sea_water_density_kg_m3(35.0, 25.0)), 2)
    1023.34
    """
    s = np.asarray(salinity, dtype=float)
    t = IPTS68_FROM_ITS90 * np.asarray(temperature_c, dtype=float)
    water = 999.842594 + t * (
        6.793952e-2 + t * (-9.095290e-3 + t * (1.001685e-4 + t * (-1.120083e-6 + t * 6.536332e-9)))
    )
    a = 8.24493e-1 + t * (-4.0899e-3 + t * (7.6438e-5 + t * (-8.2467e-7 + t * 5.3875e-9)))
    b = -5.72466e-3 + t * (1.0227e-4 - t * 1.6546e-6)
    return np.asarray(water + s * (a + b * np.sqrt(s) + 4.8314e-4 * s))
