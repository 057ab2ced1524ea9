"""A thermometer beside a better one: its gain is fixed at 1, a check finds an offset."""

from __future__ import annotations

from collections.abc import Sequence

from brumel.core.numbers.arrays import Number
from brumel.core.place.conditions import Conditions
from brumel.core.said import Amount, Value, says
from brumel.core.sensing.principle import Coefficient, Principle


class Thermometer(Principle):
    """A thermistor or platinum resistor with its display, °C; off by up to ±0.3 °C (common practice)."""

    key = "thermometer"
    quantity = "temperature"
    signal_name = "temperature shown"
    signal_unit = "°C"
    signal_decimals = 2
    signal_range = (-20.0, 120.0)
    signal_signed = False
    u_signal = 0.012
    coefficients = (
        Coefficient("offset", "offset", "°C", 2, 0.0, 0.3 / 3**0.5),
        Coefficient("gain", "gain", "", 3, 1.0, 0.0, fixed=True),
    )
    value_term = 1
    signal_plural = "degrees"
    drawn = (0.0, 40.0)
    usual_name = "unadjusted"
    assumed = "a thermometer without an offset"
    drift_per_day = 0.1 / 365.0
    into_standard = "both tips side by side in the stirred bath, a hand's breadth deep."
    shows_signal = True
    asks_temperature = False

    def terms(self, value: Number, at: Conditions) -> Sequence[Number]:
        """Offset, °C; gain."""
        return 1.0, value

    def working(self, signal: float, value: float, at: Conditions, coefficients: dict[str, float]) -> list[Value]:
        """From the temperature shown to the corrected one."""
        offset, found = Amount(coefficients["offset"], "", 2), Amount(float(value), "°C", 2)
        return [says("working.thermometer", signal=Amount(signal, "", 2), offset=offset, value=found)]


def principles() -> tuple[Principle, ...]:
    """Return the thermometer."""
    return (Thermometer(),)
