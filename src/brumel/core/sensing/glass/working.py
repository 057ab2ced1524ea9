"""The arithmetic of a pH reading in words, as it is shown beside the answer."""

from __future__ import annotations

from brumel.core.quantities.ph import nernst_slope_mv
from brumel.core.wording import signed, taken_off


def ph_working(mv: float, temperature_c: float, slope_percent: float, offset_mv: float, ph: float) -> list[str]:
    """Lines that lead from millivolts to pH.

    Examples
    --------
    >>> ph_working(-21.3, 18.4, 98.6, 3.2, 7.43)[1]
    'pH = 7 − (−21.3 − 3.2) / 57.04 = 7.43'
    """
    k = float(nernst_slope_mv(temperature_c))
    used = k * slope_percent / 100.0
    return [
        f"Nernst slope at {signed(temperature_c)} °C: {k:.2f} mV per pH; "
        f"this electrode gives {slope_percent:.1f} % of it: {used:.2f} mV",
        f"pH = 7 − ({signed(mv)} − {taken_off(offset_mv)}) / {used:.2f} = {signed(ph, 2)}",
    ]


def recompensation_working(shown_ph: float, setting_c: float, temperature_c: float, ph: float) -> list[str]:
    """Lines that undo a meter's fixed temperature setting."""
    set_slope, true_slope = float(nernst_slope_mv(setting_c)), float(nernst_slope_mv(temperature_c))
    return [
        f"The meter divided by the slope at {signed(setting_c)} °C, {set_slope:.2f} mV per pH; "
        f"at {signed(temperature_c)} °C it is {true_slope:.2f} mV",
        f"pH = 7 + ({shown_ph:.2f} − 7) × {set_slope:.2f} / {true_slope:.2f} = {ph:.2f}",
    ]
