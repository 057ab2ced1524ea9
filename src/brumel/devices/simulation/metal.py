"""An ORP metal with its reference on the simulated bench; sizes are common practice."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from brumel.devices.simulation.model import Ailment, Liquid, Model, hidden

_IN_WATERS = 14.0
"""Natural waters poise a metal so many times more slowly than a couple does."""
_DRAWN = 0.25
"""A fouled metal stays so much of the way at the last solution."""


@dataclass
class MetalModel(Model):
    """In a couple it is fast; in waters slow, with a memory of where it came from; fouled, it hardly leaves there."""

    settling_s: float = 12.0
    noise: float = 0.15
    offset_mv: float = 4.0
    poise_mv: float = 0.0
    """How much it differs from one water to the next of the same potential, mV (k = 1)."""
    creep_mv: float = -48.0
    """What its reference has drifted where it has."""

    ailments: ClassVar[tuple[Ailment, ...]] = (*Model.ailments, Ailment.FOULED, Ailment.DRIFTED)

    def signal_in(self, liquid: Liquid) -> float:
        """Potential against its own reference, mV."""
        creep = self.creep_mv if self.ailment is Ailment.DRIFTED else 0.0
        end = self.true_value(liquid, "orp", 180.0) + self.offset_mv + creep
        end += 0.0 if liquid.standard else self.poise_mv * hidden(f"{liquid.name} {self.seed}")
        return end + _DRAWN * (self._from_signal - end) if self.ailment is Ailment.FOULED else end

    def time_constant(self, liquid: Liquid) -> float:
        """s."""
        return (
            super().time_constant(liquid)
            * (1.0 if liquid.standard else _IN_WATERS)
            * (9.0 if self.ailment is Ailment.FOULED else 1.0)
        )
