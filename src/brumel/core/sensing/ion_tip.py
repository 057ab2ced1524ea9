"""Ion-selective tip: E = E0 + (slope / 100) · k(T) · log10 activity + drift · (t − 25).

k(T) is signed by the ion's charge. The third term is what the three- and four-point methods are for; where all points
have one temperature it is kept at 0.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from brumel.core.arrays import Array, Number
from brumel.core.quantities.ph import nernst_slope_mv
from brumel.core.sensing.principle import Coefficient, Conditions, Principle


class IonTip(Principle):
    """A tip for an ion of a charge."""

    key = "ion-tip"
    quantity = "ammonium-n"
    signal_name = "potential"
    signal_unit = "mV"
    signal_decimals = 1
    signal_range = (-2000.0, 2000.0)
    u_signal = 0.5
    coefficients = (
        Coefficient("offset", "Potential at activity 1", "mV", 1, 0.0, 100.0),
        Coefficient("slope", "Slope", "%", 1, 95.0, 5.0, least_apart=0.1, of=" of Nernst"),
        Coefficient("temperature", "Drift with temperature", "mV/°C", 2, 0.0, 0.0, fixed=True),
    )
    value_term = 1
    drawn = (1.0, 100.0)
    usual_name = "usual tip"

    def __init__(self, charge: int = 1) -> None:
        self.charge = charge

    def terms(self, value: Number, at: Conditions) -> Sequence[Number]:
        """Offset, mV; slope, % of Nernst; drift, mV/°C."""
        decades = np.log10(np.asarray(value, dtype=float))
        return 1.0, self._per_decade(at) * decades, np.asarray(at.temperature_c, dtype=float) - 25.0

    def value_of_term(self, x: Number, at: Conditions) -> Number:
        """Activity."""
        return np.asarray(10.0 ** (np.asarray(x) / self._per_decade(at)))

    def term_per_value(self, value: Number, at: Conditions) -> Number:
        """mV per unit of activity and percent of slope."""
        return np.asarray(self._per_decade(at) / (np.log(10.0) * np.asarray(value, dtype=float)))

    def apart(self, values: Array) -> float:
        """Decades between the lowest and the highest activity."""
        return float(np.ptp(np.log10(values)))

    def working(self, signal: float, value: float, at: Conditions, coefficients: dict[str, float]) -> list[str]:
        """From millivolts to activity."""
        per_decade = float(self._per_decade(at)) * coefficients["slope"]
        return [f"log10 a = ({signal:.1f} − {coefficients['offset']:.1f}) / {per_decade:.2f} = {np.log10(value):.3f}"]

    def _per_decade(self, at: Conditions) -> Array:
        return np.asarray(nernst_slope_mv(at.temperature_c, self.charge)) / 100.0
