"""A physical model of a pH electrode and its thermometer, for the simulated bench."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

from brumel.core.quantities.ph import millivolts_from_ph


@dataclass(frozen=True)
class Liquid:
    """What the probe stands in: a name for people, its pH at its temperature, °C."""

    name: str
    ph: float
    temperature_c: float


AIR = Liquid("air", 7.0, 21.5)


@dataclass
class ElectrodeModel:
    """An electrode with its thermometer; asked for values at rising times, s.

    Potential: Nernst at the liquid's temperature with the electrode's slope and offset, approached
    with ``settling_s`` (first order), plus the junction's drift and noise. Temperature: approached
    with ``thermal_s``.
    """

    slope_percent: float = 98.5
    offset_mv: float = 4.0
    settling_s: float = 4.0
    thermal_s: float = 5.0
    noise_mv: float = 0.03
    noise_c: float = 0.01
    drift_mv_per_hour: float = 0.2
    seed: int = 1
    liquid: Liquid = AIR
    _since_s: float = 0.0
    _from_mv: float = 0.0
    _from_c: float = AIR.temperature_c
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)

    def place(self, liquid: Liquid, now_s: float) -> None:
        """Put the probe into another liquid; it starts from where it was."""
        self._from_mv, self._from_c = self._settling(now_s)
        self.liquid, self._since_s = liquid, now_s

    def values(self, now_s: float) -> tuple[float, float]:
        """Temperature, °C, and potential, mV, as the probe would report them now."""
        mv, temperature_c = self._settling(now_s)
        drift = self.drift_mv_per_hour * now_s / 3600.0
        return (
            temperature_c + self._random.gauss(0.0, self.noise_c),
            mv + drift + self._random.gauss(0.0, self.noise_mv),
        )

    def _settling(self, now_s: float) -> tuple[float, float]:
        elapsed = max(now_s - self._since_s, 0.0)
        target_c = self.liquid.temperature_c
        target_mv = millivolts_from_ph(self.liquid.ph, target_c, self.slope_percent, self.offset_mv)
        return (
            target_mv + (self._from_mv - target_mv) * math.exp(-elapsed / self.settling_s),
            target_c + (self._from_c - target_c) * math.exp(-elapsed / self.thermal_s),
        )
