"""ORP metal: the potential itself, against the probe's own reference electrode; a calibration finds an offset only."""

from __future__ import annotations

from collections.abc import Sequence

from brumel.core.numbers.arrays import Number
from brumel.core.place.conditions import Conditions
from brumel.core.said import Amount, Value, says
from brumel.core.sensing.principle import Coefficient, Principle
from brumel.core.uncertainty import Contribution

U_WATER_MV = 15.0
"""Standard uncertainty: aerated water comes to no equilibrium, ±30 mV is usual there (common practice)."""


class Metal(Principle):
    """Platinum or gold; its gain is fixed at 1. References creep by 1 to 2 mV a month (common practice)."""

    key = "metal"
    quantity = "orp"
    signal_name = "potential"
    signal_unit = "mV"
    signal_decimals = 1
    signal_range = (-2000.0, 2000.0)
    u_signal = 1.0
    coefficients = (
        Coefficient("offset", "offset", "mV", 1, 0.0, 15.0 / 3**0.5),
        Coefficient("gain", "gain", "", 2, 1.0, 0.0, fixed=True),
    )
    value_term = 1
    drawn = (0.0, 500.0)
    usual_name = "unadjusted"
    assumed = "an electrode without an offset"
    drift_per_day = 0.07
    patience = (
        "In natural waters ORP comes slowly, over 10 to 30 minutes. It may be taken before, with a reason that stays "
        "on record; in aerated water 30 mV apart is usual."
    )

    def terms(self, value: Number, at: Conditions) -> Sequence[Number]:
        """Offset, mV; gain."""
        return 1.0, value

    def beyond_the_line(self, value: Number, at: Conditions, calibrated_c: float | None) -> list[Contribution]:
        """Return the water itself."""
        del calibrated_c
        return self.beyond_any_meter(value, at)

    def beyond_any_meter(self, value: Number, at: Conditions) -> list[Contribution]:
        """Return the water: redox couples that never come to rest on the metal."""
        del value, at
        return [Contribution("unrest", U_WATER_MV, "mV", 1.0)]

    def working(self, signal: float, value: float, at: Conditions, coefficients: dict[str, float]) -> list[Value]:
        """From raw to corrected millivolts."""
        offset, found = Amount(coefficients["offset"], "", 1), Amount(float(value), "mV", 1)
        return [says("working.orp", signal=Amount(signal, "", 1), offset=offset, value=found)]


def principles() -> tuple[Principle, ...]:
    """Return the metal of ORP."""
    return (Metal(),)
