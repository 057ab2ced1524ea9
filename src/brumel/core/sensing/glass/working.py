"""The arithmetic of a pH reading in words, as it is shown beside the answer."""

from __future__ import annotations

from brumel.core.quantities.ph import nernst_slope_mv
from brumel.core.said import Amount, Value, celsius, says


def ph_working(mv: float, temperature_c: float, slope_percent: float, offset_mv: float, ph: float) -> list[Value]:
    """Return lines that lead from millivolts to pH.

    Examples
    --------
    >>> from brumel.core.words.catalogue import word
    >>> str(word(ph_working(-21.3, 18.4, 98.6, 3.2, 7.43)[1]))
    'pH = 7 − (−21.3 − 3.2) / 57.04 = 7.43'
    """
    k = float(nernst_slope_mv(temperature_c))
    used = Amount(k * slope_percent / 100.0, "mV", 2)
    return [
        says(
            "working.ph-slope", at=celsius(temperature_c), nernst=Amount(k, "mV", 2),
            percent=Amount(slope_percent, "%", 1), used=used,
        ),
        says(
            "working.ph", mv=Amount(mv, "mV", 1), offset=Amount(offset_mv, "mV", 1), used=used,
            ph=Amount(float(ph), "", 2),
        ),
    ]  # fmt: skip


def recompensation_working(shown_ph: float, setting_c: float, temperature_c: float, ph: float) -> list[Value]:
    """Return lines that undo a meter's fixed temperature setting."""
    set_slope, slope = (Amount(float(nernst_slope_mv(c)), "mV", 2) for c in (setting_c, temperature_c))
    return [
        says("working.ph-setting", set=celsius(setting_c), set_slope=set_slope, at=celsius(temperature_c), slope=slope),
        says(
            "working.ph-shown", shown=Amount(shown_ph, "", 2), set_slope=set_slope, slope=slope,
            ph=Amount(float(ph), "", 2),
        ),
    ]  # fmt: skip
