"""pH from the potential of a glass electrode, and back.

The electrode model of the whole application::

    E = E7 - (slope / 100) · k(T) · (pH - 7)

with ``k(T)`` the Nernst slope at the liquid's own temperature, ``E7`` the offset at pH 7.00
(independent of temperature) and the isopotential point at pH 7.00. Compensating for temperature
corrects the electrode's slope; it never removes the water's own change of pH with temperature.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from brumel.core.errors import OutOfRange
from brumel.core.numbers.arrays import Number
from brumel.core.numbers.constants import FARADAY, GAS_CONSTANT, ZERO_CELSIUS_K

ISOPOTENTIAL_PH = 7.0
TEMPERATURE_RANGE_C = (-5.0, 105.0)
"""Range in which a glass electrode is used at all, °C (common practice)."""
MILLIVOLT_RANGE = (-2000.0, 2000.0)
"""Range of the potential that a meter shows, mV (common practice)."""


def checked_temperature(temperature_c: Number, *, low: float, high: float, what: str) -> NDArray[np.float64]:
    """Return the temperature as an array, or refuse it with the range in words.

    Raises
    ------
    OutOfRange
        Where any element is not a number or lies outside ``low … high``, °C.
    """
    values = np.asarray(temperature_c, dtype=float)
    if not np.all((values >= low) & (values <= high)):
        found = values[~((values >= low) & (values <= high))].flat[0]
        raise OutOfRange(
            "temperature_c",
            f"{what} holds from {low:g} to {high:g} °C; {found:g} °C lies outside: check the thermometer.",
        )
    return values


def nernst_slope_mv(temperature_c: Number, charge: int = 1) -> Any:
    """Nernst slope R·T·ln 10 / (z·F), in mV per decade of activity, signed by charge.

    Parameters
    ----------
    temperature_c
        Temperature of the liquid, °C (ITS-90), −5 to 105; float or array of any shape.
    charge
        Charge number of the ion, +1 for the hydrogen ion.

    Raises
    ------
    OutOfRange
        For a temperature outside −5 … 105 °C, or a charge of zero.

    Notes
    -----
    Source: Nernst equation with the SI constants of 2019. The tempting wrong unit: degrees Celsius
    put in where kelvin belong.

    Examples
    --------
    >>> round(nernst_slope_mv(25.0), 2)
    59.16
    """
    if charge == 0:
        raise OutOfRange("charge", "An ion has a charge other than 0; 0 was given.")
    low, high = TEMPERATURE_RANGE_C
    kelvin = checked_temperature(temperature_c, low=low, high=high, what="The electrode slope") + ZERO_CELSIUS_K
    slope = 1000.0 * GAS_CONSTANT * kelvin * np.log(10.0) / (charge * FARADAY)
    return float(slope) if np.ndim(slope) == 0 else slope


def ph_from_millivolts(
    mv: Number, temperature_c: Number, slope_percent: Number = 100.0, offset_mv: Number = 0.0
) -> Any:
    """pH from the electrode's potential at the sample's own temperature.

    Parameters
    ----------
    mv
        Potential of the electrode, mV (not V); falls as pH rises.
    temperature_c
        Temperature of the sample, °C, −5 to 105.
    slope_percent
        Slope as percent of the Nernst slope, above 0.
    offset_mv
        Potential at pH 7.00, mV.

    Notes
    -----
    Source: the electrode model in the module's docstring (Nernst equation; isopotential pH 7.00 is
    common practice for combination electrodes).

    Examples
    --------
    >>> round(ph_from_millivolts(177.48, 25.0), 3)
    4.0
    """
    if np.any(np.asarray(slope_percent) == 0):
        raise OutOfRange("slope_percent", "A slope of 0 % measures nothing: calibrate the electrode.")
    ph = ISOPOTENTIAL_PH - (np.asarray(mv, dtype=float) - offset_mv) / (
        np.asarray(slope_percent) / 100.0 * nernst_slope_mv(temperature_c)
    )
    return float(ph) if np.ndim(ph) == 0 else ph


def millivolts_from_ph(
    ph: Number, temperature_c: Number, slope_percent: Number = 100.0, offset_mv: Number = 0.0
) -> Any:
    """Potential that an electrode of this slope and offset gives at this pH; inverse of the above.

    Examples
    --------
    >>> round(millivolts_from_ph(4.005, 25.0), 1)
    177.2
    """
    mv = offset_mv - np.asarray(slope_percent) / 100.0 * nernst_slope_mv(temperature_c) * (
        np.asarray(ph, dtype=float) - ISOPOTENTIAL_PH
    )
    return float(mv) if np.ndim(mv) == 0 else mv


def ph_recompensated(shown_ph: Number, assumed_c: Number, temperature_c: Number) -> Any:
    """Undo a meter's fixed temperature setting, then compensate at the sample's own temperature.

    A meter without a thermometer divides by the Nernst slope of the temperature it was set to.
    The slope percent and the offset cancel as far as the meter's own line is right.

    Parameters
    ----------
    shown_ph
        pH as the meter shows it.
    assumed_c
        Temperature that the meter was set to, °C.
    temperature_c
        The sample's own temperature, °C.

    Examples
    --------
    >>> round(ph_recompensated(9.00, assumed_c=25.0, temperature_c=5.0), 3)
    9.144
    """
    ph = ISOPOTENTIAL_PH + (np.asarray(shown_ph, dtype=float) - ISOPOTENTIAL_PH) * (
        nernst_slope_mv(assumed_c) / nernst_slope_mv(temperature_c)
    )
    return float(ph) if np.ndim(ph) == 0 else ph
