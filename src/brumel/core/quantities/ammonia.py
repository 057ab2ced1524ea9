"""Un-ionised ammonia and free chlorine as hypochlorous acid: what pH and temperature leave undissociated."""

from __future__ import annotations

import numpy as np

from brumel.core.numbers.arrays import Array, Number
from brumel.core.numbers.constants import ZERO_CELSIUS_K

NH3_FROM_N = 1.2159
"""mg of NH3 for each mg of nitrogen: 17.031 / 14.007."""


def sea_salt_ionic_strength(salinity: Number) -> Array:
    """Ionic strength of sea salt of a practical salinity, mol/kg.

    Source: 19.9273 S / (1000 − 1.005109 S), as in EPA 440/5-88-004; from memory.

    Examples
    --------
    >>> round(float(sea_salt_ionic_strength(35.0)), 3)
    0.723
    """
    s = np.asarray(salinity, dtype=float)
    return 19.9273 * s / (1000.0 - 1.005109 * s)


def ammonium_pka(temperature_c: Number, salinity: Number = 0.0) -> Array:
    """pKa of ammonium for a pH from an electrode on NIST buffers.

    Source: Emerson et al. 1975, 0.09018 + 2729.92/T, with the salt term of Hampson 1977 as in EPA 440/5-88-004,
    + 0.116 I; from memory. 0–40 °C, salinity 0–45: salt lowers the share, nothing jumps.

    Examples
    --------
    >>> round(float(ammonium_pka(25.0)), 3), round(float(ammonium_pka(25.0, 35.0)), 3)
    (9.246, 9.33)
    """
    kelvin = np.asarray(temperature_c, dtype=float) + ZERO_CELSIUS_K
    return 0.09018 + 2729.92 / kelvin + 0.116 * sea_salt_ionic_strength(salinity)


def ammonium_pka_total_scale(temperature_c: Number, salinity: Number) -> Array:
    """pKa of ammonium for a pH on the total scale of sea water.

    Source: Johansson & Wedborg 1980, −0.467 + 0.00113 S + 2887.9/T, fitted for 5–25 °C in sea water; from memory.

    Examples
    --------
    >>> round(float(ammonium_pka_total_scale(25.0, 35.0)), 3)
    9.259
    """
    kelvin = np.asarray(temperature_c, dtype=float) + ZERO_CELSIUS_K
    return -0.467 + 0.00113 * np.asarray(salinity, dtype=float) + 2887.9 / kelvin


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
