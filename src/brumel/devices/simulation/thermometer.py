"""A thermometer on the simulated bench; sizes are common practice."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from brumel.devices.simulation.model import Ailment, Liquid, Model

_KNOCKED_C = 0.7


@dataclass
class ThermometerModel(Model):
    """It comes to its bath in seconds, bare, and is off by a little for ever; by more after a knock."""

    settling_s: float = 6.0
    noise: float = 0.008
    drift_per_hour: float = 0.0
    offset_c: float = 0.08

    ailments: ClassVar[tuple[Ailment, ...]] = (*Model.ailments, Ailment.KNOCKED)

    def signal_in(self, liquid: Liquid) -> float:
        """Return what it shows in a bath, °C."""
        return liquid.temperature_c + self.offset_c + (_KNOCKED_C if self.ailment is Ailment.KNOCKED else 0.0)
