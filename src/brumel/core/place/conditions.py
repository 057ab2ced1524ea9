"""In what a signal arises."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from brumel.core.numbers.arrays import Number
from brumel.core.quantities.oxygen import ATMOSPHERE_HPA

U_TEMPERATURE_C = 0.2 / 3**0.5
"""Standard uncertainty of the probe's thermometer, °C: ±0.2 °C as limits (common practice)."""


@dataclass(frozen=True)
class Conditions:
    """In what a signal arises: temperature of the liquid, °C; the probe's own reference electrode, by key.

    Floats or arrays of the signal's shape; the reference is one for all. ``pressure_hpa`` is the station's, with its
    standard uncertainty; ``salinity`` is the water's, and ``conductivity_us_cm`` at 25 °C, for what follows from a
    value.
    """

    temperature_c: Number
    reference: str = ""
    pressure_hpa: Number = ATMOSPHERE_HPA
    u_pressure_hpa: float = 1.0
    salinity: float = 0.0
    u_salinity: float = 0.0
    conductivity_us_cm: float | None = None
    u_conductivity: float = 0.0
    u_temperature_c: float = U_TEMPERATURE_C

    def warmer(self, by_c: float) -> Conditions:
        """Return the same, warmer by so many degrees."""
        return replace(self, temperature_c=np.asarray(self.temperature_c, dtype=float) + by_c)
