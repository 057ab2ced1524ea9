"""Oxygen by luminescence (Stern–Volmer): 1/τ = zero · f0(t) + gain · f1(t) · pO₂."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar

import numpy as np

from brumel.core.numbers.arrays import Array, Number
from brumel.core.place.conditions import Conditions
from brumel.core.sensing.oxygen.shared import Oxygen
from brumel.core.sensing.principle import Ask, Coefficient
from brumel.core.uncertainty import Contribution

DECAY_PER_C = 0.003
"""The decay without oxygen is so much faster a degree, as a share (from memory)."""
QUENCHING_PER_C = 0.010
"""The quenching by oxygen is so much stronger a degree: K by 0.7 % (common practice: 0.5 to 1 %)."""
U_DECAY_PER_C, U_QUENCHING_PER_C = 0.0005, 0.001
"""Between caps, k = 1 (rule of this product)."""
U_BEND_PERCENT = 0.6
"""Two kinds of sites bend the line: between zero and saturation it is off by up to this, k = 1, in percent."""


class Luminescence(Oxygen):
    """The zero is the decay rate without oxygen, from the cap's leaflet; the gain what saturated air adds at 25 °C."""

    key = "luminescence"
    signal_name = "decay rate"
    signal_unit = "1/ms"
    signal_plural = "decay rates"
    signal_decimals = 2
    signal_range = (0.0, 1_000.0)
    u_signal = 0.05
    u_signal_percent = 0.12
    coefficients = (
        Coefficient("zero", "rate-without-oxygen", "1/ms", 2, 18.0, 0.2, minor=True, renew_days=90),
        Coefficient("gain", "quenching", "1/ms", 2, 40.0, 6.0, of="by-saturated-air"),
    )
    drift_percent_per_day = 0.05
    assumed = "a new cap"
    into_standard = "stir gently."
    into_water = "Cap covered, no bubble on it; move it gently."
    asks: ClassVar[Mapping[str, tuple[Ask, ...]]] = {
        "air": (
            Ask("cap-wet"),
            Ask("open-air"),
            Ask("wind"),
        ),
        "cup": (
            Ask("not-stirred"),
            Ask("cap-bubble"),
        ),
        "zero": (
            Ask("not-stirred"),
            Ask("cap-bubble"),
        ),
    }

    def terms(self, value: Number, at: Conditions) -> Sequence[Number]:
        """Rate without oxygen, 1/ms; quenching, 1/ms."""
        away = np.asarray(at.temperature_c, dtype=float) - 25.0
        return 1.0 + DECAY_PER_C * away, self.term_per_value(value, at) * np.asarray(value, dtype=float)

    def warmth(self, at: Conditions) -> Array:
        """Quenching against that at 25 °C."""
        return np.asarray(1.0 + QUENCHING_PER_C * (np.asarray(at.temperature_c, dtype=float) - 25.0))

    def beyond_the_line(self, value: Number, at: Conditions, calibrated_c: float | None) -> list[Contribution]:
        """Return both rates, where water and air differ in temperature; the bend; the barometer."""
        away = np.asarray(at.temperature_c, dtype=float) - (25.0 if calibrated_c is None else calibrated_c)
        zero, gain = (c.usual for c in self.coefficients)
        warmth, full = self.warmth(at), 100.0 * np.asarray(self.term_per_value(1.0, at))
        share = np.clip(np.asarray(value, dtype=float) / 100.0, 0.0, None)
        return [
            Contribution("quenching-warmth", U_QUENCHING_PER_C * 100.0, "%/°C", share * away / warmth),
            Contribution("decay-warmth", U_DECAY_PER_C * 100.0, "%/°C", zero / gain * away / full),
            Contribution("bend", U_BEND_PERCENT, "%", 4.0 * share * np.abs(1.0 - share)),
            self.of_pressure(value, at),
        ]
