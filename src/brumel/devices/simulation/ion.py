"""An ion-selective tip on the simulated bench; sizes are common practice."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

from brumel.core.quantities.ions import activity_coefficient
from brumel.core.quantities.ph import nernst_slope_mv
from brumel.devices.simulation.model import Ailment, Liquid, Model, hidden

_FLOOR_MG_L = 0.02
"""So much a tip sees where there is nothing."""
_PURE_US_CM = 5.0
_OTHER_IONS = 0.00012
"""mg/L that other ions are taken for, for each µS/cm."""
_AGED = 0.72
_DRY_S, _DRY_MV = 8.0, 9.0
"""A tip that is not hydrated is so many times slower and creeps as it takes up water, mV an hour."""


@dataclass
class IonModel(Model):
    """It answers to activity and to other ions a little; its slope falls with age, and it drifts with temperature."""

    ion: str = "ammonium"
    charge: int = 1
    offset_mv: float = 180.0
    slope_percent: float = 95.0
    drift_mv_per_c: float = 0.2
    settling_s: float = 25.0
    thermal_s: float = 12.0
    noise: float = 0.05
    reproduces_mv: float = 0.2
    """How much it differs from one dip to the next (k = 1)."""

    ailments: ClassVar[tuple[Ailment, ...]] = (*Model.ailments, Ailment.AGED, Ailment.NOT_HYDRATED)

    def signal_in(self, liquid: Liquid) -> float:
        """Potential, mV."""
        slope = self.slope_percent / 100.0 * (_AGED if self.ailment is Ailment.AGED else 1.0)
        per_decade = slope * float(nernst_slope_mv(liquid.temperature_c, self.charge))
        end = self.offset_mv + per_decade * math.log10(self.activity(liquid))
        return (
            end
            + self.drift_mv_per_c * (liquid.temperature_c - 25.0)
            + self.reproduces_mv * hidden(f"{liquid.name} {self.seed} {self._since_s}")
        )

    def activity(self, liquid: Liquid) -> float:
        """Return what it sees in a liquid, mg/L."""
        if f"{self.ion}-activity" in liquid.values:
            return max(self.true_value(liquid, f"{self.ion}-activity", 0.0), _FLOOR_MG_L)
        conductivity = liquid.values.get("specific-conductance", _PURE_US_CM)
        own = self.true_value(liquid, f"{self.ion}-n", 0.0) * float(activity_coefficient(conductivity, self.charge))
        return own + _OTHER_IONS * conductivity + _FLOOR_MG_L

    def time_constant(self, liquid: Liquid) -> float:
        """s."""
        return super().time_constant(liquid) * (_DRY_S if self.ailment is Ailment.NOT_HYDRATED else 1.0)

    def values(self, now_s: float) -> tuple[float, float]:
        """Return temperature, °C, and signal; it creeps while it takes up water."""
        temperature_c, signal = super().values(now_s)
        creeps = self.ailment is Ailment.NOT_HYDRATED
        return temperature_c, signal + (_DRY_MV * max(now_s - self.ailing_since_s, 0.0) / 3600.0 if creeps else 0.0)
