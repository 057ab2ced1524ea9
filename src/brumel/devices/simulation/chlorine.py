"""A tip for total chlorine on the simulated bench; sizes are common practice."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from brumel.devices.simulation.model import Ailment, Liquid, Model

_TOUCHED = 0.72
"""A tablet that fingers touched, or an old one, frees so much of what it should."""


@dataclass
class ChlorineModel(Model):
    """It answers in seconds once the tablet has worked; its zero and its gain are its own, and nobody adjusts them."""

    settling_s: float = 2.0
    noise: float = 0.004
    drift_per_hour: float = 0.0
    zero_mg_l: float = 0.004
    gain: float = 1.012

    ailments: ClassVar[tuple[Ailment, ...]] = (*Model.ailments, Ailment.TABLET)

    def signal_in(self, liquid: Liquid) -> float:
        """Total chlorine as it shows it, mg/L; nothing below its zero."""
        worked = _TOUCHED if self.ailment is Ailment.TABLET else 1.0
        return max(0.0, self.zero_mg_l + self.gain * worked * self.true_value(liquid, "total-chlorine", 0.0))
