"""Pool water: the saturation index and dissolved salt."""

from __future__ import annotations

from functools import cache

import numpy as np

from brumel.core.numbers.arrays import Array, Number
from brumel.core.numbers.constants import ZERO_CELSIUS_K
from brumel.core.numbers.curves import MonotoneCurve, printed_table

NACL_MG_PER_MOL = 58_443.0
"""Molar mass of sodium chloride, mg/mol."""


_PKA_CYANURIC, _MG_PER_MMOL = 6.88, 129.08
"""First dissociation of cyanuric acid at 25 °C, and its molar mass, mg/mmol."""
_MG_PER_MEQ_CACO3 = 50.04


def cyanurate_alkalinity(cyanuric_acid_mg_l: Number, ph: Number) -> Array:
    """Alkalinity, mg/L as CaCO3, that stabiliser makes: its share that is cyanurate follows pH.

    Source: dissociation of cyanuric acid, pKa 6.88 at 25 °C, from memory. Common tables round the share to a third.

    Examples
    --------
    >>> [round(float(cyanurate_alkalinity(1.0, ph)), 2) for ph in (7.0, 7.4, 7.8)]
    [0.22, 0.3, 0.35]
    """
    cyanurate = 1.0 / (1.0 + 10.0 ** (_PKA_CYANURIC - np.asarray(ph, dtype=float)))
    found: Array = _MG_PER_MEQ_CACO3 / _MG_PER_MMOL * cyanurate * np.asarray(cyanuric_acid_mg_l, dtype=float)
    return found


def saturation_index(
    ph: Number, temperature_c: Number, calcium_mg_l_caco3: Number, alkalinity_mg_l_caco3: Number, tds_mg_l: Number,
    cyanuric_acid_mg_l: Number = 0.0,
) -> Array:  # fmt: skip
    """pH minus the pH at which calcium carbonate would neither dissolve nor form.

    Source: Langelier's index in its common form (an approximation, 0.1–0.3 below the full one):
    pHs = (9.3 + A + B) − (C + D), calcium hardness and alkalinity as mg/L CaCO3. What stabiliser makes of the
    alkalinity is taken off (:func:`cyanurate_alkalinity`).

    Examples
    --------
    >>> round(float(saturation_index(7.5, 25.0, 200.0, 100.0, 1000.0)), 2)
    -0.18
    """
    kelvin = np.asarray(temperature_c, dtype=float) + ZERO_CELSIUS_K
    carbonate = np.asarray(alkalinity_mg_l_caco3) - cyanurate_alkalinity(cyanuric_acid_mg_l, ph)
    a = (np.log10(tds_mg_l) - 1.0) / 10.0
    b = -13.12 * np.log10(kelvin) + 34.55
    c = np.log10(calcium_mg_l_caco3) - 0.4
    with np.errstate(invalid="ignore", divide="ignore"):
        d = np.log10(carbonate)
    return ph - ((9.3 + a + b) - (c + d))


def sodium_chloride_to_25(temperature_c: Number) -> Array:
    """Return what takes the conductivity of a sodium chloride solution from its temperature to 25 °C, 0–45 °C.

    Source: limiting conductances of sodium and chloride, Robinson & Stokes 1959, from memory: within 0.5 %
    at the concentrations of pools.
    """
    curve = printed_table("sodium_chloride_limiting.csv", "salt", "temperature_c", "limiting_conductance")["NaCl"]
    return curve(25.0) / curve(temperature_c)


@cache
def _root_of() -> MonotoneCurve:
    """Root of molarity over root of conductivity at 25 °C: along roots Kohlrausch's law is nearly straight."""
    table = printed_table("sodium_chloride_conductance.csv", "salt", "molarity", "equivalent_conductance")["NaCl"]
    root = np.linspace(0.0, np.sqrt(table.x[-1]), 200)
    conductance = MonotoneCurve.through(np.sqrt(table.x), table(table.x))
    return MonotoneCurve.through(np.sqrt(1000.0 * conductance(root) * root**2), root)


def sodium_chloride_mg_l(conductivity_us_cm: Number, temperature_c: Number) -> Array:
    """Sodium chloride, mg/L, from conductivity at the water's temperature, µS/cm; not a number beyond 5 844 mg/L.

    Source: equivalent conductance of sodium chloride at 25 °C, CRC Handbook, from memory; to 25 °C by
    :func:`sodium_chloride_to_25`. Sea salt is another conversion: practical salinity.

    Examples
    --------
    >>> round(float(sodium_chloride_mg_l(5390.0, 25.0)), -1)
    2830.0
    """
    at_25 = np.asarray(conductivity_us_cm, dtype=float) * sodium_chloride_to_25(temperature_c)
    return _root_of()(np.sqrt(at_25)) ** 2 * NACL_MG_PER_MOL
