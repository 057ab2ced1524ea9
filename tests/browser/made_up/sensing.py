"""A sensing principle that nobody has: a current that grows with the glow of the water, and a dark current."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from brumel.core.numbers.arrays import Number
from brumel.core.place.conditions import Conditions
from brumel.core.said import Amount, Value, says
from brumel.core.sensing.principle import Coefficient, Principle


class Glow(Principle):
    """Current = zero + gain · glow."""

    key = "glow"
    quantity = "glow"
    signal_name = "current"
    signal_unit = "nA"
    signal_decimals = 1
    signal_range = (-100.0, 5_000.0)
    u_signal = 0.3
    coefficients = (
        Coefficient("zero", "zero", "nA", 1, 0.0, 2.0),
        Coefficient("gain", "gain", "nA/gu", 2, 2.0, 0.2, least_apart=20.0),
    )
    value_term = 1
    drawn = (0.0, 600.0)

    def terms(self, value: Number, at: Conditions) -> Sequence[Number]:
        """One, and the glow."""
        return 1.0, value

    def value_of_term(self, x: Number, at: Conditions) -> Number:
        """The glow."""
        return x

    def term_per_value(self, value: Number, at: Conditions) -> Number:
        """One."""
        return np.ones(np.shape(np.asarray(value)))

    def working(self, signal: float, value: float, at: Conditions, coefficients: dict[str, float]) -> list[Value]:
        """From current to glow: by a key of the house's own, and a line of words."""
        zero, gain = Amount(coefficients["zero"], "", 1), Amount(coefficients["gain"], "", 2)
        of_signal = says(
            "working.glow", signal=Amount(signal, "", 1), zero=zero, gain=gain, glow=Amount(value, "gu", 1)
        )
        return [of_signal, "No lamp was near."]
