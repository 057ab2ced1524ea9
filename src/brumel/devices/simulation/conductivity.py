"""A conductivity cell on the simulated bench; sizes are common practice."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from brumel.devices.simulation.model import Ailment, Liquid, Model

_SHARE_PER_C = 0.0195
"""Salt solutions and waters conduct more by so much a degree: near enough for a thermometer that lags."""
_WATERS_PER_C = 0.0205
_LEAVES = 0.35
"""So much of its bubbles a cell keeps each time it is swung."""
_POLARISES_US = 90_000.0
"""At this conductance a cell of two poles has lost half of it; far below nothing."""
_EVAPORATED = 1.11
_CARRIED = 0.012
"""So much of the liquid before comes along unrinsed."""


@dataclass
class ConductivityModel(Model):
    """Conductance follows at once; what lags is its temperature. Bubbles leave in steps when it is put in anew."""

    constant_per_cm: float = 1.02
    zero_us: float = 0.05
    settling_s: float = 1.0
    thermal_s: float = 14.0
    noise: float = 0.02
    noise_share: float = 0.0003
    drift_per_hour: float = 0.0
    bubbles: float = 0.3
    """How much of its surface they cover where it has some."""
    coating: float = 0.06
    _swings: int = 0
    _before_us_cm: float = 0.0

    ailments: ClassVar[tuple[Ailment, ...]] = (
        *Model.ailments, Ailment.BUBBLES, Ailment.COATED, Ailment.WALL, Ailment.CARRIED, Ailment.TENFOLD,
        Ailment.EVAPORATED, Ailment.COMPENSATES,
    )  # fmt: skip

    def place(self, liquid: Liquid, now_s: float) -> None:
        """Swing it into another liquid, or anew into the same."""
        if liquid.name != self.liquid.name:
            self._before_us_cm = self._conductivity(self.liquid)
        self._swings = self._swings + 1 if self.ailment is Ailment.BUBBLES else 0
        super().place(liquid, now_s)

    def signal_in(self, liquid: Liquid) -> float:
        """Conductance, µS."""
        conductivity = self._conductivity(liquid)
        if self.ailment is Ailment.CARRIED:
            conductivity += _CARRIED * max(self._before_us_cm - conductivity, 0.0)
        elif self.ailment is Ailment.EVAPORATED and liquid.standard:
            conductivity *= _EVAPORATED
        conductance = conductivity / self.constant_per_cm
        conductance /= 1.0 + (conductance / _POLARISES_US) ** 4
        if self.ailment is Ailment.BUBBLES:
            conductance *= 1.0 - self.bubbles * _LEAVES ** max(self._swings - 1, 0)
        elif self.ailment is Ailment.COATED:
            conductance *= 1.0 - self.coating * conductance / (conductance + 400.0)
        elif self.ailment is Ailment.WALL:
            conductance *= 0.95
        elif self.ailment is Ailment.TENFOLD:
            conductance *= 10.0
        elif self.ailment is Ailment.COMPENSATES:
            conductance /= 1.0 + _SHARE_PER_C * (liquid.temperature_c - 25.0)
        return self.zero_us + conductance

    def noise_at(self, signal: float) -> float:
        """µS."""
        return self.noise + self.noise_share * abs(signal)

    def lagged(self, signal: float, liquid: Liquid, temperature_c: float) -> float:
        """Return the liquid as its poles feel it: as warm as the cell is."""
        return signal * max(1.0 + _SHARE_PER_C * (temperature_c - liquid.temperature_c), 0.0)

    def _conductivity(self, liquid: Liquid) -> float:
        """Of a liquid at its own temperature, µS/cm; a water is known by its specific conductance."""
        if "conductivity" in liquid.values or "specific-conductance" not in liquid.values:
            return self.true_value(liquid, "conductivity", 0.0)
        at_25 = self.true_value(liquid, "specific-conductance", 0.0)
        return at_25 * max(1.0 + _WATERS_PER_C * (liquid.temperature_c - 25.0), 0.0)
