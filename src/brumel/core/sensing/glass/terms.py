"""pH glass: E = offset − (slope / 100) · k(T) · (pH − 7), with k(T) the Nernst slope, isopotential at pH 7.00."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from brumel.core.numbers.arrays import Number
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.ph import ISOPOTENTIAL_PH, MILLIVOLT_RANGE, nernst_slope_mv, ph_recompensated
from brumel.core.said import Value
from brumel.core.sensing.carry_over import ph_with
from brumel.core.sensing.glass.working import ph_working, recompensation_working
from brumel.core.sensing.principle import Coefficient, Principle
from brumel.core.uncertainty import Contribution

U_ISOPOTENTIAL_PH = 0.5 / 3**0.5
"""Standard uncertainty of the isopotential point about pH 7.00: ±0.5 pH as limits (common practice)."""
U_JUNCTION_PH = 0.02
"""Standard uncertainty from the junction: its potential in a sample is not that in a buffer; pH (common practice)."""
_COLDEST_C, _HOTTEST_C = -5.0, 105.0


class Glass(Principle):
    """The glass electrode of pH; new ones have slopes of 95 to 102 %, worn ones less."""

    key = "glass"
    quantity = "ph"
    signal_name = "potential"
    signal_unit = "mV"
    signal_decimals = 1
    signal_range = MILLIVOLT_RANGE
    u_signal = 0.15
    coefficients = (
        Coefficient("offset", "offset", "mV", 1, 0.0, 10.0, of="at-ph-7"),
        Coefficient("slope", "slope", "%", 1, 100.0, 2.5, least_apart=0.5, of="nernst"),
    )
    value_term = 1
    drawn = (2.0, 12.0)
    usual_name = "ideal (Nernst)"
    assumed = "an ideal electrode"
    drift_per_day = 0.01
    meter_asks = "setting"

    def terms(self, value: Number, at: Conditions) -> Sequence[Number]:
        """Offset, mV; slope, % of Nernst."""
        return 1.0, self.term_per_value(value, at) * (np.asarray(value, dtype=float) - ISOPOTENTIAL_PH)

    def value_of_term(self, x: Number, at: Conditions) -> Number:
        """pH."""
        return ISOPOTENTIAL_PH + np.asarray(x) / self.term_per_value(ISOPOTENTIAL_PH, at)

    def term_per_value(self, value: Number, at: Conditions) -> Number:
        """mV per pH and percent of slope; not a number beyond −5 … 105 °C."""
        t = np.asarray(at.temperature_c, dtype=float)
        within = (t >= _COLDEST_C) & (t <= _HOTTEST_C)
        return np.where(within, -nernst_slope_mv(np.where(within, t, 25.0)) / 100.0, np.nan)

    def beyond_the_line(self, value: Number, at: Conditions, calibrated_c: float | None) -> list[Contribution]:
        """Return the isopotential point, where sample and buffers differ in temperature; the junction."""
        k = nernst_slope_mv(at.temperature_c)
        apart = 0.0 if calibrated_c is None else 1.0 - nernst_slope_mv(calibrated_c) / k
        return [
            Contribution("isopotential", U_ISOPOTENTIAL_PH, "pH", apart),
            *self.beyond_any_meter(value, at),
        ]

    def beyond_any_meter(self, value: Number, at: Conditions) -> list[Contribution]:
        """Return the junction."""
        del value, at
        return [Contribution("junction", U_JUNCTION_PH, "pH", 1.0)]

    def undone(self, shown: float, did: Mapping[str, Any], at: Conditions) -> tuple[float, list[Value]]:
        """pH; the slope at a fixed ``setting_c`` undone."""
        if "setting_c" not in did:
            return shown, []
        t, setting_c = float(at.temperature_c), float(did["setting_c"])
        value = float(ph_recompensated(shown, setting_c, t))
        return value, recompensation_working(shown, setting_c, t, value)

    def working(self, signal: float, value: float, at: Conditions, coefficients: dict[str, float]) -> list[Value]:
        """From millivolts to pH."""
        return ph_working(signal, float(at.temperature_c), coefficients["slope"], coefficients["offset"], value)

    def carried(self, before: float | None, value: float) -> float | None:
        """By the charge balance of the two buffers; a film of tap water thins one by 1 %, which moves it by nothing."""
        return None if before is None else ph_with(value, before) - value


def principles() -> tuple[Principle, ...]:
    """Return the glass electrode."""
    return (Glass(),)
