"""Conductivity cell: G = zero + κ / K · (1 + bend · decades from 1 mS/cm).

κ is the conductivity at the water's own temperature, K the cell constant; the bend gives each range its own factor.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar

import numpy as np

from brumel.core.numbers.arrays import Array, Number
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.conductivity import linear_factor, natural_water_factor
from brumel.core.said import Amount, Value, celsius, figures, says
from brumel.core.sensing.carry_over import mixed
from brumel.core.sensing.principle import Ask, Coefficient, Principle

_MIDDLE_US_CM = 1_000.0
"""Where the constant is given for; decades are counted from here."""
_DRY_US_CM = 1.0
"""A cell in dry air conducts less than this, µS/cm: only then does a point tell the zero (rule of this product)."""

_TAP_US_CM = 500.0
"""What tap water usually has (common practice)."""


class Conductivity(Principle):
    """A cell of two or four poles; a kind says which constant it has. Cells creep by 1 to 2 % a year (common practice).

    Notes
    -----
    A zero is told by a point in dry air only: two standards of which one is 1.5 % off would make a zero of their own
    and turn 48 µS/cm into 37. Two standards half a decade apart tell a factor for each range: the constant at each, and
    between them in proportion to the decades; its usual spread, ±0.2 % a decade, is from memory.
    """

    key = "conductivity"
    quantity = "conductivity"
    signal_name = "conductance"
    signal_unit = "µS"
    signal_decimals = 1
    signal_signed = False
    signal_range = (-100.0, 5_000_000.0)
    u_signal = 0.1
    u_signal_percent = 0.15
    coefficients = (
        Coefficient("zero", "zero", "µS", 1, 0.0, 0.1, minor=True),
        Coefficient("cell-constant", "cell-constant", "/cm", 3, 1.0, 0.1 / 3**0.5, inverse=True),
        Coefficient("bend", "bend", "%", 1, 0.0, 0.1, minor=True, least_apart=0.5, of="constant-a-decade"),
    )
    value_term = 1
    bends = True
    drawn = (0.0, 100.0)
    picture = "decades"
    usual_name = "nominal constant"
    signal_plural = "conductivities without compensation"
    assumed = "the nominal constant of its cell"
    drift_percent_per_day = 0.02
    into_standard = "vents covered, off walls and bottom; swing it four or five times until no bubble is left."
    into_water = "Vents covered, off walls and bottom; swing it four or five times until no bubble is left."
    asks: ClassVar[Mapping[str, tuple[Ask, ...]]] = {
        "cup": (
            Ask("vents-open"),
            Ask("near-wall"),
            Ask("bubbles"),
            Ask("glass-beaker"),
        ),
        "air": (Ask("cell-wet"),),
    }
    meter_asks = "compensation"
    meter_shows: ClassVar[Mapping[str, Mapping[str, Any]]] = {"specific-conductance": {"method": ""}}
    """Which compensation, is asked of the meter."""
    setting = "cell-constant"
    display_name = "conductivity as shown"
    display_unit = "µS/cm"

    def apart(self, values: Array) -> float:
        """Decades."""
        wet = values[values >= _DRY_US_CM]
        return float(np.ptp(np.log10(wet))) if wet.size else 0.0

    def tells(self, values: Array, at: Conditions, about: Coefficient) -> bool:
        """Say whether these tell it: dry air the zero, a standard the constant, two that are apart the bend."""
        dry = values < _DRY_US_CM
        return bool(dry.any()) if about.key == "zero" else not dry.all() and super().tells(values, at, about)

    def terms(self, value: Number, at: Conditions) -> Sequence[Number]:
        """Zero, µS; conductivity, µS/cm; percent of the usual constant a decade."""
        decades = np.log10(np.maximum(value, _DRY_US_CM) / _MIDDLE_US_CM)
        return 1.0, value, value * decades / (100.0 * self.coefficient("cell-constant").usual)

    def factors(self, line: Mapping[str, float], values: Sequence[float]) -> list[float]:
        """Return the constant that holds at each of these conductivities, /cm, by coefficients as people read them."""
        at = Conditions(25.0)
        return [v / (v / line["cell-constant"] + line["bend"] * float(self.terms(v, at)[2])) for v in values]

    def shown_quantity(self, did: Mapping[str, Any]) -> str:
        """At a reference where the meter compensated."""
        return "specific-conductance" if did.get("method", "none") != "none" else self.quantity

    def undone(self, shown: float, did: Mapping[str, Any], at: Conditions) -> tuple[float, list[Value]]:
        """µS/cm at the water's temperature; a compensation of ``method``, ``coefficient``, ``reference_c`` undone."""
        method = did.get("method", "none")
        if method == "none":
            return shown, []
        t, reference = float(at.temperature_c), float(did.get("reference_c", 25.0))
        if method == "linear":
            factor, how = (
                float(linear_factor(t, did["coefficient"], reference)),
                says("working.undone.linear", percent=Amount(did["coefficient"], "%/°C")),
            )
        else:
            factor, how = float(natural_water_factor(t, reference)), says("working.undone.natural")
        value = shown / factor
        undone = says(
            "working.undone", to=Amount(reference, "°C"), how=how, shown=_digits(shown), found=_digits(value, "µS/cm"),
            at=celsius(t),
        )  # fmt: skip
        return value, [undone]

    def from_display(self, shown: float, settings: Mapping[str, float]) -> float:
        """µS: what a meter displays in µS/cm, divided by the constant that is set in it."""
        return shown / settings.get(self.setting, self.coefficient(self.setting).usual)

    def working(self, signal: float, value: float, at: Conditions, coefficients: dict[str, float]) -> list[Value]:
        """From conductance to conductivity."""
        zero = coefficients["zero"]
        less: Value = _digits(signal, "µS")
        if round(zero, 1):
            less = says("working.kappa.zero", signal=_digits(signal), zero=Amount(zero, "", 1))
        about = self.coefficient("cell-constant")
        constant = self.factors(coefficients, [value])[0] if value > 0 else coefficients["cell-constant"]
        here = says("working.kappa.here") if coefficients["bend"] else None
        found = _digits(value, "µS/cm")
        return [says("working.kappa", less=less, constant=about.amount(constant), here=here, found=found,
                     at=celsius(at.temperature_c))]  # fmt: skip

    def carried(self, before: float | None, value: float) -> float | None:
        """It mixes in proportion."""
        return mixed(value, _TAP_US_CM if before is None else before) - value


def _digits(value: float, unit: str = "") -> Amount:
    return Amount(value, unit, 0) if abs(value) >= 10_000 else figures(value, 4, unit)


def principles() -> tuple[Principle, ...]:
    """Return the cell."""
    return (Conductivity(),)
