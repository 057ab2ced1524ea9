"""An instrument that only indicates values: it is never adjusted here, only compared with another."""

from __future__ import annotations

from collections.abc import Sequence

from brumel.core.numbers.arrays import Number
from brumel.core.place.conditions import Conditions
from brumel.core.said import Amount, Value, says
from brumel.core.sensing.principle import Coefficient, Principle


class Indicator(Principle):
    """What it shows is the value; how far off it may be is assumed, and no comparison takes that away.

    Attributes
    ----------
    u_zero, u_gain
        Standard uncertainties (k = 1) of its zero, in the unit, and of its gain, as a share.
    """

    signal_name = "value shown"
    signal_signed = False
    value_term = 1
    signal_plural = "values"
    usual_name = "as shown"
    shows_signal = True

    def __init__(
        self, key: str, quantity: str, unit: str, decimals: int, *, u_zero: float, u_gain: float, u_shown: float,
        most: float, into_standard: str, into_water: str,
    ) -> None:  # fmt: skip
        self.key, self.quantity = key, quantity  # type: ignore[misc]
        self.signal_unit, self.signal_decimals, self.u_signal = unit, decimals, u_shown  # type: ignore[misc]
        self.signal_range, self.drawn = (0.0, most), (0.0, most)  # type: ignore[misc]
        self.into_standard, self.into_water = into_standard, into_water  # type: ignore[misc]
        self.coefficients = (
            Coefficient("zero", "zero", unit, decimals, 0.0, u_zero, minor=True),
            Coefficient("gain", "gain", "", 3, 1.0, u_gain, minor=True),
        )

    def terms(self, value: Number, at: Conditions) -> Sequence[Number]:
        """Zero, in the unit; gain."""
        return 1.0, value

    def working(self, signal: float, value: float, at: Conditions, coefficients: dict[str, float]) -> list[Value]:
        """Return what is shown is what it is."""
        return [says("working.indicated", value=Amount(float(value), self.signal_unit, self.signal_decimals))]


def chlorine_tip() -> Indicator:
    """Return a tip for total chlorine with reagent tablets (common practice: it zeroes itself, nothing is adjusted).

    Off by ±0.02 mg/L and 4 % as limits where nothing is known of it (rule of this product).
    """
    return Indicator(
        "chlorine-tip", "total-chlorine", "mg/L", 2, u_zero=0.02 / 3**0.5, u_gain=0.04 / 3**0.5, u_shown=0.01,
        most=10.0, into_standard="at once, and stir for 10 s.",
        into_water=(
            "Fill 20 mL of the water into the vial, a tablet from its strip, untouched; crush it, close, shake for "
            "20 s. Then the tip in at once, stir for 10 s, and read."
        ),
    )  # fmt: skip


def principles() -> tuple[Principle, ...]:
    """Return the instruments that only indicate values."""
    return (chlorine_tip(),)
