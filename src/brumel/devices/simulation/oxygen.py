"""Oxygen probes on the simulated bench, behind a membrane and by luminescence; sizes are common practice."""

from __future__ import annotations

import math
from abc import abstractmethod
from dataclasses import dataclass
from typing import ClassVar

from brumel.core.quantities.oxygen import ATMOSPHERE_HPA, vapour_pressure_hpa
from brumel.devices.simulation.model import Ailment, Liquid, Model

_SATURATED_DRY_HPA = ATMOSPHERE_HPA - float(vapour_pressure_hpa(25.0))
_POWERED_TOO_HIGH, _POWERED_S = 0.8, 240.0
"""Just powered it starts so much too high, and comes down with this time constant."""
_LEFT_WITHOUT_FLOW, _USED_UP_S = 0.35, 40.0
"""Without movement a membrane uses up what is before it, down to this share."""
_SPENT_PERCENT = 4.0
"""What a spent sulfite solution still holds."""
_WIND_COOLS_C = 1.2
_WANDERS_S = 17.0


@dataclass
class OxygenModel(Model):
    """What both have in common: the partial pressure of a liquid or of moist air, and what goes wrong around them."""

    def pressure_share(self, liquid: Liquid) -> float:
        """Partial pressure against that in saturated air at 25 °C and 1013.25 hPa."""
        hpa = liquid.values.get("station-pressure", ATMOSPHERE_HPA)
        percent = self.true_value(liquid, "oxygen-saturation", 100.0)
        dry = hpa - float(vapour_pressure_hpa(liquid.temperature_c))
        if self.ailment is Ailment.DRY_AIR and liquid.gas:
            dry = hpa
        elif self.ailment is Ailment.SULFITE and percent < 1.0:
            percent = _SPENT_PERCENT
        return percent / 100.0 * dry / _SATURATED_DRY_HPA

    def noise_at(self, signal: float) -> float:
        """Wind moves what is at the sensor."""
        windy = self.ailment is Ailment.WIND and self.liquid.gas
        return self.noise * (40.0 if windy else 1.0)

    def lagged(self, signal: float, liquid: Liquid, temperature_c: float) -> float:
        """Return the liquid as the sensor feels it: as warm as the probe is."""
        return signal * self.warmth(temperature_c) / self.warmth(liquid.temperature_c)

    @abstractmethod
    def warmth(self, temperature_c: float) -> float:
        """Say how much more it answers to oxygen than at 25 °C."""


@dataclass
class MembraneModel(OxygenModel):
    """Current in nA; its permeability to oxygen is its own, not what anybody assumes."""

    gain_na: float = 97.0
    zero_na: float = 0.5
    per_c: float = 0.031
    settling_s: float = 12.0
    thermal_s: float = 10.0
    noise: float = 0.05
    drift_per_hour: float = 0.0

    ailments: ClassVar[tuple[Ailment, ...]] = (
        *Model.ailments, Ailment.NOT_WARM, Ailment.NO_FLOW, Ailment.ELECTROLYTE, Ailment.WRINKLED, Ailment.TORN,
        Ailment.DRY_AIR, Ailment.WIND, Ailment.SULFITE,
    )  # fmt: skip

    def signal_in(self, liquid: Liquid) -> float:
        """Current, nA."""
        gain, zero = self.gain_na, self.zero_na
        if self.ailment is Ailment.ELECTROLYTE:
            gain, zero = 0.62 * gain, 3.0 * zero + 1.0
        elif self.ailment is Ailment.TORN:
            gain, zero = 1.28 * gain, zero + 9.0
        elif self.ailment is Ailment.WRINKLED:
            gain *= 0.86
        return zero + gain * self.warmth(liquid.temperature_c) * self.pressure_share(liquid)

    def warmth(self, temperature_c: float) -> float:
        """Permeability against that at 25 °C."""
        return math.exp(self.per_c * (temperature_c - 25.0))

    def time_constant(self, liquid: Liquid) -> float:
        """Twice as long at 5 as at 20 °C; a wrinkled membrane is slow."""
        cold: float = 2.0 ** ((20.0 - liquid.temperature_c) / 15.0)
        return super().time_constant(liquid) * cold * (4.0 if self.ailment is Ailment.WRINKLED else 1.0)

    def noise_at(self, signal: float) -> float:
        """Return a wrinkled membrane jumps when it is tapped."""
        return super().noise_at(signal) * (12.0 if self.ailment is Ailment.WRINKLED else 1.0)

    def fading(self, elapsed_s: float, ailing_s: float) -> float:
        """It starts too high just powered; it uses up the oxygen before it where nothing moves."""
        if self.ailment is Ailment.NOT_WARM:
            return 1.0 + _POWERED_TOO_HIGH * math.exp(-ailing_s / _POWERED_S)
        if self.ailment is Ailment.NO_FLOW and not self.liquid.gas:
            return _LEFT_WITHOUT_FLOW + (1.0 - _LEFT_WITHOUT_FLOW) * math.exp(-elapsed_s / _USED_UP_S)
        return 1.0


@dataclass
class LuminescenceModel(OxygenModel):
    """Decay rate in 1/ms; both rates move with temperature, and two kinds of sites bend the line."""

    zero_per_ms: float = 18.1
    gain_per_ms: float = 39.0
    zero_per_c: float = 0.0032
    gain_per_c: float = 0.0105
    bend: float = 0.012
    """So much of its partial pressure a half-saturated water shows too much."""
    settling_s: float = 14.0
    thermal_s: float = 10.0
    noise: float = 0.02
    drift_per_hour: float = 0.0

    ailments: ClassVar[tuple[Ailment, ...]] = (
        *Model.ailments, Ailment.BLEACHED, Ailment.DRY_CAP, Ailment.DRY_AIR, Ailment.WIND, Ailment.SULFITE,
    )  # fmt: skip

    def signal_in(self, liquid: Liquid) -> float:
        """Decay rate, 1/ms."""
        share = self.pressure_share(liquid)
        share *= 1.0 + 2.0 * self.bend * (1.0 - share)
        gain, zero = self.gain_per_ms, self.zero_per_ms
        if self.ailment is Ailment.BLEACHED:
            gain, zero = 0.66 * gain, 1.08 * zero
        elif self.ailment is Ailment.DRY_CAP:
            gain *= 0.88
        away = liquid.temperature_c - 25.0
        return zero * (1.0 + self.zero_per_c * away) + gain * self.warmth(liquid.temperature_c) * share

    def warmth(self, temperature_c: float) -> float:
        """Quenching against that at 25 °C."""
        return 1.0 + self.gain_per_c * (temperature_c - 25.0)

    def time_constant(self, liquid: Liquid) -> float:
        """Return its time constant; a dried cap is slow."""
        return super().time_constant(liquid) * (6.0 if self.ailment is Ailment.DRY_CAP else 1.0)

    def noise_at(self, signal: float) -> float:
        """Return what it gives; a bleached cap gives less light."""
        return super().noise_at(signal) * (6.0 if self.ailment is Ailment.BLEACHED else 1.0)
