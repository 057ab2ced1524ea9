"""Station pressure from a pressure that was reduced to sea level."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from brumel.core.numbers.arrays import Array, Number

UNITS_HPA: Mapping[str, float] = {"hPa": 1.0, "kPa": 10.0, "mmHg": 1.333224, "inHg": 33.86389}
"""hPa a unit; the mercury at 0 °C."""


def at_altitude_hpa(altitude_m: Number, sea_level_hpa: Number = 1013.25) -> Array:
    """Pressure at an altitude, hPa, in the standard atmosphere.

    Source: ISO 2533, P = P0 (1 − 2.25577e-5 h)^5.25588, up to 11 000 m.

    Examples
    --------
    >>> round(float(at_altitude_hpa(630.0)), 1)
    939.8
    """
    return np.asarray(sea_level_hpa) * (1.0 - 2.25577e-5 * np.asarray(altitude_m, dtype=float)) ** 5.25588
