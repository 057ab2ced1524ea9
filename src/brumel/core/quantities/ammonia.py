"""Un-ionised ammonia and free chlorine as hypochlorous acid: what pH and temperature leave undissociated."""

from __future__ import annotations

import numpy as np

from brumel.core.arrays import Array, Number
from brumel.core.constants import ZERO_CELSIUS_K

NH3_FROM_N = 1.2159
"""mg of NH3 for each mg of nitrogen: 17.031 / 14.007."""
_FRESH_UP_TO, _SALINE_FROM = 1.0, 5.0


def ammonium_pka(temperature_c: Number, salinity: Number = 0.0) -> Array:
    """pKa of ammonium.

    Source: fresh water, up to salinity 1: Emerson et al. 1975, 0.09018 + 2729.92/T. Saline, from 5: Johansson
    & Wedborg 1980, −0.467 + 0.00113 S + 2887.9/T, total scale, fitted for 5–25 °C; from memory. Between them
    the pKa is blended linearly, so that nothing jumps (rule of this product).

    Examples
    --------
    >>> round(float(ammonium_pka(25.0)), 3)
    9.246
    """
    kelvin = np.asarray(temperature_c, dtype=float) + ZERO_CELSIUS_K
    s = np.asarray(salinity, dtype=float)
    fresh = 0.09018 + 2729.92 / kelvin
    saline = -0.467 + 0.00113 * s + 2887.9 / kelvin
    weight = np.clip((s - _FRESH_UP_TO) / (_SALINE_FROM - _FRESH_UP_TO), 0.0, 1.0)
    return fresh + weight * (saline - fresh)


def undissociated_base(ph: Number, pka: Number) -> Array:
    """Share of a weak base (NH3) that is not protonated, 0–1."""
    return 1.0 / (1.0 + 10.0 ** (np.asarray(pka) - ph))


def hypochlorous_pka(temperature_c: Number) -> Array:
    """pKa of hypochlorous acid. Source: Morris 1966, 3000.00/T − 10.0686 + 0.0253 T, 5–35 °C.

    Examples
    --------
    >>> round(float(hypochlorous_pka(25.0)), 2)
    7.54
    """
    kelvin = np.asarray(temperature_c, dtype=float) + ZERO_CELSIUS_K
    return 3000.00 / kelvin - 10.0686 + 0.0253 * kelvin


def undissociated_acid(ph: Number, pka: Number) -> Array:
    """Share of a weak acid (HOCl) that is not dissociated, 0–1."""
    return 1.0 / (1.0 + 10.0 ** (np.asarray(ph) - pka))
