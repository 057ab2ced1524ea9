"""A glass electrode on the simulated bench; sizes are common practice."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from brumel.core.quantities.ph import nernst_slope_mv
from brumel.devices.simulation.model import Ailment, Liquid, Model, hidden

_JUNCTION_IN_STANDARDS = 0.004


@dataclass
class GlassModel(Model):
    """Its line crosses at a pH of its own, not at 7; its junction is a little off in each liquid; it errs above 11."""

    slope_percent: float = 98.5
    offset_mv: float = 4.0
    isopotential_ph: float = 7.1
    junction_ph: float = 0.004
    """How much its junction is off in a water, pH (k = 1)."""

    ailments: ClassVar[tuple[Ailment, ...]] = (*Model.ailments, Ailment.CRACKED)

    def signal_in(self, liquid: Liquid) -> float:
        """Potential, mV."""
        if self.ailment is Ailment.CRACKED:
            return 6.0
        off = _JUNCTION_IN_STANDARDS if liquid.standard else self.junction_ph
        ph = self.true_value(liquid, "ph", 7.0) + off * hidden(f"{liquid.name} {self.seed}")
        ph -= 0.05 * max(ph - 11.0, 0.0)  # alkaline error: reads low
        k = float(nernst_slope_mv(liquid.temperature_c)) * self.slope_percent / 100.0
        at_25 = float(nernst_slope_mv(25.0)) * self.slope_percent / 100.0
        zero = self.offset_mv + at_25 * (7.0 - self.isopotential_ph)
        return zero - k * (ph - self.isopotential_ph)
