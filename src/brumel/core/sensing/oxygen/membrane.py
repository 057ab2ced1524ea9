"""Oxygen behind a membrane, galvanic or polarographic: i = zero + gain · permeability(t) · pO₂."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar

import numpy as np

from brumel.core.numbers.arrays import Array, Number
from brumel.core.place.conditions import Conditions
from brumel.core.sensing.oxygen.shared import Oxygen
from brumel.core.sensing.principle import Ask, Coefficient
from brumel.core.uncertainty import Contribution

PERMEABILITY_PER_C = 0.03
"""Membranes let through 2.5 to 4 % more a degree (common practice); this is what is assumed, as a share."""
U_PERMEABILITY_PER_C = 0.002
"""Between membranes of one make, k = 1 (rule of this product)."""


class Membrane(Oxygen):
    """The gain is the current in saturated air at 25 °C and 1013.25 hPa, on top of the zero current.

    One point in air tells it; a zero current is told in sulfite only, and is 0 to 1 % of the current in air.
    """

    key = "membrane"
    signal_name = "current"
    signal_unit = "nA"
    signal_plural = "nanoamperes"
    signal_decimals = 1
    signal_range = (-50.0, 5_000.0)
    u_signal = 0.15
    u_signal_percent = 0.15
    coefficients = (
        Coefficient("zero", "zero", "nA", 2, 0.5, 0.5 / 3**0.5, minor=True, renew_days=30),
        Coefficient("gain", "gain", "nA", 1, 100.0, 25.0, of="in-saturated-air"),
    )
    drift_percent_per_day = 0.5
    slowest_s = 32.0
    assumed = "a new membrane"
    into_standard = "keep it moving: without flow it reads low."
    into_water = "Membrane covered, no bubble on it. Keep it moving all the time: without flow it reads low."
    asks: ClassVar[Mapping[str, tuple[Ask, ...]]] = {
        "air": (
            Ask("membrane-wet"),
            Ask("open-air"),
            Ask("wind"),
        ),
        "cup": (
            Ask("not-moving"),
            Ask("membrane-bubble"),
        ),
        "zero": (
            Ask("not-moving"),
            Ask("membrane-bubble"),
        ),
    }

    def terms(self, value: Number, at: Conditions) -> Sequence[Number]:
        """Zero, nA; gain, nA."""
        return 1.0, self.term_per_value(value, at) * np.asarray(value, dtype=float)

    def warmth(self, at: Conditions) -> Array:
        """Permeability against that at 25 °C."""
        return np.asarray(np.exp(PERMEABILITY_PER_C * (np.asarray(at.temperature_c, dtype=float) - 25.0)))

    def beyond_the_line(self, value: Number, at: Conditions, calibrated_c: float | None) -> list[Contribution]:
        """Return the permeability, where water and air differ in temperature; the barometer."""
        away = np.asarray(at.temperature_c, dtype=float) - (25.0 if calibrated_c is None else calibrated_c)
        return [
            Contribution("permeability", U_PERMEABILITY_PER_C * 100.0, "%/°C", value / 100.0 * away),
            self.of_pressure(value, at),
        ]
