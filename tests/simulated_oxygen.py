"""How often the U of an oxygen reading holds: membranes and caps simulated by another hand than the core's.

Sizes are common practice: air moist to 0.3 %, bubbled water saturated to 1 % (k = 1), thermometers by ±0.2 °C,
barometers by 1 hPa, membranes that let through 2.6 to 3.4 % more a degree, caps whose rates and bend are their own.
Vapour is Buck's, oxygen at saturation Garcia & Gordon's by the Gibbs SeaWater library.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass

import gsw
import numpy as np
from numpy.typing import NDArray

from brumel.core.place.conditions import Conditions
from brumel.core.place.water import Compensation
from brumel.core.sensing.fit import Point, fit
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.principles import as_read, derived_from, principle
from brumel.core.shipped_rules import shipped
from tests.simulated_cell import accepted

Array = NDArray[np.float64]
CALIBRATING = shipped().settled("oxygen-saturation", calibrating=True)
READING = shipped().settled("oxygen", calibrating=False)
METHODS: dict[str, tuple[str, ...]] = {"air": ("air",), "zero, air": ("zero", "air"), "water": ("water",)}
TEMPERATURES_C = (5.0, 15.0, 30.0)
TIME_CONSTANTS = (12.0, 26.0)
"""s at 20 °C: 90 % in half a minute and in a minute."""
_ROOM_C = 21.0
_U = {"air": 0.3, "water": 1.0, "zero": 0.1}
_ZERO, _FULL = 0.0, 100.0


@dataclass(frozen=True)
class Place:
    """One case: how it senses, how it was calibrated, how fast it is, and how warm the water is, °C."""

    key: str
    method: str
    tau_s: float
    sample_c: float


def _vapour(t: Array | float) -> Array:
    """Over water, hPa: Buck 1981, from memory."""
    t = np.asarray(t)
    return np.asarray(6.1121 * np.exp((18.678 - t / 234.5) * t / (257.14 + t)))


def _saturated(t: float, hpa: float, salinity: float) -> float:
    """mg/L."""
    absolute = gsw.SA_from_SP(salinity, 0.0, 0.0, 0.0)
    conservative = gsw.CT_from_t(absolute, t, 0.0)
    umol_kg = gsw.O2sol(absolute, conservative, 0.0, 0.0, 0.0)
    at_sea = umol_kg * 31.998e-3 * gsw.rho(absolute, conservative, 0.0) / 1000.0
    return float(at_sea * (hpa - _vapour(t)) / (1013.25 - _vapour(t)))


class Probe(ABC):
    """One probe with its thermometer, drawn anew; its sensor and its thermometer warm together."""

    noise = 0.05

    def __init__(self, random: np.random.Generator, tau_s: float) -> None:
        self._random, self._tau_s = random, tau_s
        self._warm, self._thermal_s = random.uniform(-0.2, 0.2), random.uniform(6.0, 14.0)
        self._stands_c, self._share = _ROOM_C, 1.0

    @abstractmethod
    def signal(self, share: Array, t: Array) -> Array:
        """Signal at a partial pressure, as a share of that in saturated air at 25 °C and 1 atm, and a temperature."""

    def dipped(self, percent: float, t_c: float, hpa: float) -> tuple[Array, Array, Array]:
        """Times, s; signals; temperatures as its thermometer shows them, °C."""
        tau = self._tau_s * (2.0 ** ((20.0 - t_c) / 15.0) if isinstance(self, Membrane) else 1.0)
        t = np.arange(0.0, 60.0 + 8.0 * tau, 1.5)
        warmth = t_c + (self._stands_c - t_c) * np.exp(-t / self._thermal_s)
        end = percent / 100.0 * (hpa - float(_vapour(t_c))) / (1013.25 - float(_vapour(25.0)))
        share = end + (self._share - end) * np.exp(-t / tau)
        self._stands_c, self._share = t_c, end
        signal = self.signal(share, warmth)
        held = signal * self._random.normal(0.0, 0.002)
        scatter = self._random.normal(0.0, self.noise, t.shape)
        return t, signal + held + scatter, warmth + self._warm + self._random.normal(0.0, 0.01, t.shape)


class Membrane(Probe):
    """Galvanic or polarographic."""

    def __init__(self, random: np.random.Generator, tau_s: float) -> None:
        super().__init__(random, tau_s)
        self._gain, self._zero, self._per_c = random.uniform(60, 150), random.uniform(0, 1), random.normal(0.03, 0.002)

    def signal(self, share: Array, t: Array) -> Array:
        """nA."""
        return np.asarray(self._zero + self._gain * np.exp(self._per_c * (t - 25.0)) * share)


class Cap(Probe):
    """Luminescence, of two kinds of sites."""

    noise = 0.02

    def __init__(self, random: np.random.Generator, tau_s: float) -> None:
        super().__init__(random, tau_s)
        self._gain, self._zero = random.uniform(32, 48), random.normal(18.0, 0.2)
        self._zero_per_c, self._gain_per_c = random.normal(0.003, 0.0005), random.normal(0.010, 0.001)
        self._bend = random.normal(0.0, 0.006)

    def signal(self, share: Array, t: Array) -> Array:
        """1/ms."""
        bent = share + self._bend * 4.0 * share * (1.0 - share)
        zero, gain = self._zero * (1 + self._zero_per_c * (t - 25)), self._gain * (1 + self._gain_per_c * (t - 25))
        return np.asarray(zero + gain * bent)


_PROBES: dict[str, type[Probe]] = {"membrane": Membrane, "luminescence": Cap}


def one_run_and_reading(random: np.random.Generator, where: Place) -> tuple[float, float]:
    """The error of one reading, and the U (k = 2) that was stated for it; mg/L."""
    own, probe = principle(where.key), _PROBES[where.key](random, where.tau_s)
    line = fit(own, [_point(random, own, probe, use) for use in METHODS[where.method]])
    hpa, salinity = random.uniform(900.0, 1030.0), float(random.choice([0.0, 30.0]))
    true = float(random.uniform(30.0, 120.0))
    t, signal, shown_c = probe.dipped(true, where.sample_c, hpa)
    read_hpa = hpa + random.normal(0.0, 1.0)

    def at(shown: Array | float) -> Conditions:
        return Conditions(shown, pressure_hpa=read_hpa, salinity=salinity)

    read = as_read(own, "oxygen", np.asarray(line.value(signal, at(shown_c))), at(shown_c), Compensation())
    last, left = accepted(t, read, shown_c, READING)
    mean, there = float(signal[last].mean()), at(float(shown_c[last].mean()))
    value = float(line.value(mean, there))
    left *= value / max(float(read[last].mean()), 1e-9)
    budget = line.budget(mean, there, left_over=left)
    head = derived_from(own, value, budget, there, Compensation())[0]
    return head.value - true / 100.0 * _saturated(where.sample_c, hpa, salinity), head.budget.expanded


def _point(random: np.random.Generator, own: Principle, probe: Probe, use: str) -> Point:
    target = _ZERO if use == "zero" else _FULL
    hpa = random.uniform(980.0, 1030.0)
    t, signal, shown_c = probe.dipped(max(target + random.normal(0.0, _U[use]), 0.0), _ROOM_C, hpa)
    last, left = accepted(t, signal, shown_c, CALIBRATING)
    mean, at = float(signal[last].mean()), Conditions(float(shown_c[last].mean()), pressure_hpa=hpa + random.normal())
    u = float(np.hypot(_U[use], target / hpa))
    return Point(target, mean, at, u, float(np.hypot(own.u_of(mean), left)), use)


def coverage(where: Place, seed: int, count: int) -> tuple[float, float]:
    """Share of readings within the U stated for them, and the mean U in mg/L."""
    random = np.random.default_rng(seed)
    found = [one_run_and_reading(random, where) for _ in range(count)]
    errors, stated = (np.array(v) for v in zip(*found, strict=True))
    return float(np.mean(np.abs(errors) <= stated)), float(stated.mean())
