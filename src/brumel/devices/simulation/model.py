"""What every simulated probe does: it approaches what its liquid makes of it, with lag, drift and noise."""

from __future__ import annotations

import math
import random
from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache
from typing import ClassVar


@dataclass(frozen=True)
class Liquid:
    """What a probe stands in.

    Attributes
    ----------
    name
        For people; the same name is the same bottle or water, with the same hidden errors.
    temperature_c
        Its temperature, °C.
    values
        What it is, by quantity; what is not named is as in air.
    u
        Standard uncertainty of those values: a bottle is off by its certificate; 0 for a water.
    standard
        Whether it is a standard solution, in which probes settle fast.
    gas
        Whether it is air.
    """

    name: str
    temperature_c: float
    values: Mapping[str, float] = field(default_factory=dict)
    u: float = 0.0
    standard: bool = False
    gas: bool = False


AIR = Liquid("air", 21.5, gas=True)


class Ailment(StrEnum):
    """What can be wrong with a probe itself."""

    HEALTHY = "healthy"
    SLOW = "slow to settle"
    NOISY = "noisy"
    FOULED = "fouled"
    DRIFTED = "drifted reference"
    CRACKED = "cracked"
    BUBBLES = "bubbles"
    COATED = "coated"
    WALL = "near a wall"
    CARRIED = "salt carried over"
    TENFOLD = "constant wrong by ten"
    EVAPORATED = "evaporated standard"
    COMPENSATES = "compensates though said to be off"
    NOT_WARM = "not warmed up"
    NO_FLOW = "no movement"
    ELECTROLYTE = "spent electrolyte"
    WRINKLED = "wrinkled membrane"
    TORN = "torn membrane"
    BLEACHED = "bleached cap"
    DRY_CAP = "dried cap"
    DRY_AIR = "air not saturated"
    WIND = "wind"
    SULFITE = "spent sulfite"
    KNOCKED = "off after a knock"
    AGED = "aged tip"
    NOT_HYDRATED = "tip not hydrated"
    TABLET = "tablet touched by fingers"


@lru_cache(maxsize=4_096)
def hidden(of: str) -> float:
    """Return a normal deviate of its own for each name: an error that stays with what it is of."""
    return random.Random(of).gauss(0.0, 1.0)


@dataclass
class Model(ABC):
    """One probe, asked for values at rising times, s; its truth is hidden and drawn from its seed."""

    seed: int = 1
    settling_s: float = 4.0
    """Time constant of its signal, s."""
    thermal_s: float = 5.0
    noise: float = 0.03
    drift_per_hour: float = 0.2
    ailment: Ailment = Ailment.HEALTHY
    liquid: Liquid = AIR
    ailing_since_s: float = 0.0
    _since_s: float = 0.0
    _from_signal: float = 0.0
    _from_c: float = AIR.temperature_c
    _random: random.Random = field(init=False)
    _warm_c: float = field(init=False)

    ailments: ClassVar[tuple[Ailment, ...]] = (Ailment.HEALTHY, Ailment.SLOW, Ailment.NOISY)
    """What can be wrong with a probe of this kind."""

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        self._warm_c = self._random.uniform(-0.2, 0.2)  # its thermometer is off by so much, for ever

    @abstractmethod
    def signal_in(self, liquid: Liquid) -> float:
        """Return the signal that this probe comes to in a liquid, in the end."""

    def time_constant(self, liquid: Liquid) -> float:
        """Say how fast it comes there, s."""
        del liquid
        return self.settling_s * (8.0 if self.ailment is Ailment.SLOW else 1.0)

    def noise_at(self, signal: float) -> float:
        """Say how much a signal scatters."""
        del signal
        return self.noise

    def lagged(self, signal: float, liquid: Liquid, temperature_c: float) -> float:
        """Return the signal while the probe is not yet as warm as its liquid."""
        del liquid, temperature_c
        return signal

    def fading(self, elapsed_s: float, ailing_s: float) -> float:
        """Return what a signal is multiplied by, so long in its liquid and so long ailing."""
        del elapsed_s, ailing_s
        return 1.0

    def true_value(self, liquid: Liquid, quantity: str, otherwise: float) -> float:
        """Return what a liquid really is: a bottle is off by its certificate, the same at each dip."""
        value = liquid.values.get(quantity)
        if value is None:
            return otherwise
        return value + liquid.u * hidden(f"{liquid.name} {quantity}")

    def place(self, liquid: Liquid, now_s: float) -> None:
        """Put the probe into another liquid; it starts from where it was."""
        self._from_signal, self._from_c = self.settled_so_far(now_s)
        self.liquid, self._since_s = liquid, now_s

    def values(self, now_s: float) -> tuple[float, float]:
        """Return temperature, °C, and signal, as the probe would report them now."""
        signal, temperature_c = self.settled_so_far(now_s)
        drift = self.drift_per_hour * now_s / 3600.0
        noise = self.noise_at(signal) * (30.0 if self.ailment is Ailment.NOISY else 1.0)
        return (
            temperature_c + self._warm_c + self._random.gauss(0.0, 0.01),
            signal + drift + self._random.gauss(0.0, noise),
        )

    def settled_so_far(self, now_s: float) -> tuple[float, float]:
        """Return its signal without noise, and how warm it is, °C: the truth that its readings scatter around."""
        elapsed = max(now_s - self._since_s, 0.0)
        warmth = self.liquid.temperature_c
        warmth += (self._from_c - warmth) * math.exp(-elapsed / self.thermal_s)
        end = self.lagged(self.signal_in(self.liquid), self.liquid, warmth)
        signal = end + (self._from_signal - end) * math.exp(-elapsed / self.time_constant(self.liquid))
        return signal * self.fading(elapsed, max(now_s - self.ailing_since_s, 0.0)), warmth
