"""Ion-selective tip: E = E0 + (slope / 100) · k(T) · log10 activity + drift · (t − 25).

k(T) is signed by the ion's charge. The third term is what the three- and four-point methods are for; where all points
have one temperature it is taken over, with what it may be.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar

import numpy as np

from brumel.core.numbers.arrays import Array, Number
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.ph import nernst_slope_mv
from brumel.core.said import Amount, Value, says
from brumel.core.sensing.carry_over import mixed
from brumel.core.sensing.ion_tip.ions import Ion, ions
from brumel.core.sensing.principle import Ask, Coefficient, Principle

_APART_C = 5.0
"""Points so far apart in temperature tell how a tip drifts with it (rule of this product)."""


class IonTip(Principle):
    """A tip for an ion; ``quantity`` is the activity that it senses."""

    signal_name = "potential"
    signal_unit = "mV"
    signal_decimals = 1
    signal_range = (-2000.0, 2000.0)
    u_signal = 0.5
    coefficients = (
        Coefficient("offset", "potential-at-1", "mV", 1, 0.0, 100.0),
        Coefficient("slope", "slope", "%", 1, 95.0, 5.0, least_apart=0.1, of="nernst"),
        Coefficient("temperature", "drift-with-temperature", "mV/°C", 2, 0.0, 0.3, minor=True),
    )
    value_term = 1
    drawn = (1.0, 100.0)
    by_decades = True
    usual_name = "usual tip"
    assumed = "a tip of the usual slope and an unknown potential"
    drift_percent_per_day = 8.0
    into_standard = "tip and junction covered, stir gently, five minutes; no bubble on the membrane."
    into_water = "Tip and junction covered, no bubble on the membrane; stir gently and wait: ions take minutes."
    asks: ClassVar[Mapping[str, tuple[Ask, ...]]] = {
        "cup": (
            Ask("tip-rubbed"),
            Ask("tip-bubble"),
        ),
    }
    needs_conductivity = True

    def __init__(self, ion: Ion) -> None:
        self.key, self.quantity = f"{ion.key}-tip", ion.senses  # type: ignore[misc]
        self.ion = ion
        if ion.interferes:
            others = " and ".join(ion.interferes)
            self.into_water = f"{IonTip.into_water} It takes {others} for {ion.name}."  # type: ignore[misc]

    def terms(self, value: Number, at: Conditions) -> Sequence[Number]:
        """Offset, mV; slope, % of Nernst; drift, mV/°C."""
        with np.errstate(divide="ignore", invalid="ignore"):
            decades = np.log10(np.asarray(value, dtype=float))
        return 1.0, self.per_decade(at) * decades, np.asarray(at.temperature_c, dtype=float) - 25.0

    def value_of_term(self, x: Number, at: Conditions) -> Number:
        """Activity."""
        return np.asarray(10.0 ** (np.asarray(x) / self.per_decade(at)))

    def term_per_value(self, value: Number, at: Conditions) -> Number:
        """mV per unit of activity and percent of slope."""
        return np.asarray(self.per_decade(at) / (np.log(10.0) * np.asarray(value, dtype=float)))

    def apart(self, values: Array) -> float:
        """Decades between the lowest and the highest activity."""
        return float(np.ptp(np.log10(values)))

    def tells(self, values: Array, at: Conditions, about: Coefficient) -> bool:
        """Say whether these tell it: the drift by temperatures that are apart, once the slope is told too."""
        if about.key != "temperature":
            return super().tells(values, at, about)
        return bool(np.ptp(at.temperature_c) >= _APART_C) and self.tells(values, at, self.coefficient("slope"))

    def working(self, signal: float, value: float, at: Conditions, coefficients: dict[str, float]) -> list[Value]:
        """From millivolts to activity."""
        per_decade = float(self.per_decade(at)) * coefficients["slope"]
        away, drift = float(at.temperature_c) - 25.0, coefficients["temperature"]
        warmth = None
        if drift:
            warmth = says("working.log-activity.warmth", drift=Amount(drift, "", 2), away=Amount(away, "", 1))
        return [
            says(
                "working.log-activity", signal=Amount(signal, "", 1), offset=Amount(coefficients["offset"], "", 1),
                warmth=warmth, per_decade=Amount(per_decade, "", 2), log=Amount(float(np.log10(value)), "", 3),
            )
        ]  # fmt: skip

    def carried(self, before: float | None, value: float) -> float | None:
        """It mixes in proportion; tap water holds next to nothing of the ion."""
        return mixed(value, before or 0.0) - value

    def per_decade(self, at: Conditions) -> Array:
        """mV a decade and percent of slope, by the ion's charge."""
        return np.asarray(nernst_slope_mv(at.temperature_c, self.ion.charge)) / 100.0


def principles() -> tuple[Principle, ...]:
    """Return a tip for each ion."""
    return tuple(IonTip(ion) for ion in ions().values())
