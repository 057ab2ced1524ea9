"""How often the U of a conductivity reading holds: a cell simulated by another hand than the core's.

Sizes are common practice: bottles off by 1 % (k = 1), thermometers by ±0.2 °C, cells by 8 % of their nominal constant,
thermometer and liquid in the cell warm together. Tables of potassium chloride are met by a cubic, natural
waters by the viscosity of water to the power 0.93, sea water by the Gibbs SeaWater library.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import gsw
import numpy as np
from numpy.typing import NDArray

from brumel.core.numbers.series import Series
from brumel.core.place.conditions import Conditions
from brumel.core.place.water import Compensation
from brumel.core.sensing.fit import Point, Weights, fit
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.principles import as_read, derived_from, principle
from brumel.core.sensing.response import Response
from brumel.core.settling.judgement import judge_settling
from brumel.core.settling.rules import SettlingRule
from brumel.core.settling.windows import first_window
from brumel.core.shipped_rules import shipped
from brumel.core.standards.targets import Bottle, Target, target

Array = NDArray[np.float64]
CALIBRATING = shipped().settled("conductivity", calibrating=True)
HEAD = "specific-conductance"
READING = shipped().settled(HEAD, calibrating=False)
METHODS: dict[str, tuple[str, ...]] = {
    "one standard": ("above",),
    "dry air, one standard": ("air", "above"),
    "two standards": ("below", "above"),
    "check only": ("above", "check"),
}
WATERS = (50.0, 1_400.0, 50_000.0)
"""Specific conductance, µS/cm."""
TEMPERATURES_C = (5.0, 15.0, 25.0, 34.7)
"""The compensations end at 35 °C as the thermometer shows it, which is off by up to 0.2 °C."""
_STANDARDS = {50.0: (84.0, 147.0), 1_400.0: (1413.0, 12_880.0), 50_000.0: (12_880.0, 80_000.0)}
_NOMINAL = {50.0: 1.0, 1_400.0: 1.0, 50_000.0: 10.0}
_SEA = 20_000.0
"""Above this the water has sea-salt proportions."""
_T = np.arange(0.0, 36.0, 5.0)
_CUBIC = {
    1413.0: np.polyfit(_T, [776, 896, 1020, 1147, 1278, 1413, 1552, 1694], 3),
    12_880.0: np.polyfit(_T[:7], [7150, 8220, 9330, 10480, 11670, 12880, 14120], 3),
}


@dataclass(frozen=True)
class Where:
    """One case: how the cell was calibrated, in which water it reads, and how warm that is, °C."""

    method: str
    water: float
    sample_c: float


def _viscosity(t: Array | float) -> Array:
    """Of water, mPa·s, 0 to 40 °C: Kestin, Sokolov & Wakeham 1978, from memory."""
    d = 20.0 - np.asarray(t)
    return np.asarray(1.002 * 10 ** (d / (np.asarray(t) + 96.0) * (1.2364 - 1.37e-3 * d + 5.7e-6 * d**2)))


def _salt(value: float) -> Callable[[Array], Array]:
    """Conductivity of a standard of potassium chloride against temperature."""
    if value in _CUBIC:
        return lambda t: np.polyval(_CUBIC[value], t)
    return lambda t: value * (1.0 + 0.0191 * (t - 25.0))


def _water(value: float) -> Callable[[Array], Array]:
    """Conductivity of a water of this specific conductance against temperature."""
    if value > _SEA:
        salinity = gsw.SP_from_C(value / 1000.0, 25.0, 0.0)
        return lambda t: gsw.C_from_SP(salinity, t, 0.0) * 1000.0
    return lambda t: value * (_viscosity(25.0) / _viscosity(t)) ** 0.93


class Probe:
    """One cell with its thermometer, drawn anew."""

    def __init__(self, random: np.random.Generator, nominal: float) -> None:
        self._random = random
        self._constant = nominal * random.uniform(0.92, 1.08)
        self._zero = random.uniform(-0.15, 0.15)
        self._warm = random.uniform(-0.2, 0.2)
        self._tau_s = random.uniform(8.0, 25.0)
        self._stands_c = 22.0

    def dipped(self, conducts: Callable[[Array], Array], t_c: float) -> tuple[Array, Array, Array]:
        """Times, s; conductances, µS; temperatures as its thermometer shows them, °C."""
        t = np.arange(0.0, 60.0 + 6.0 * self._tau_s, 2.0)
        warmth = t_c + (self._stands_c - t_c) * np.exp(-t / self._tau_s)
        self._stands_c = t_c
        signal = conducts(warmth) / self._constant + self._zero
        scatter = self._random.normal(0.0, 0.02 + 0.0005 * np.abs(signal))
        # Bubbles, walls and how it is held: what a settled cell differs by from dip to dip.
        held = signal * self._random.normal(0.0, 0.0015) + self._random.normal(0.0, 0.1)
        return t, signal + held + scatter, warmth + self._warm + self._random.normal(0.0, 0.01, t.shape)


def one_run_and_reading(random: np.random.Generator, where: Where) -> tuple[float, float]:
    """The error of one reading of specific conductance, and the U (k = 2) that was stated for it; µS/cm."""
    nominal = _NOMINAL[where.water]
    cell = principle("conductivity").with_usual({"cell-constant": nominal})
    probe = Probe(random, nominal)
    line = _calibrated(random, cell, probe, where)
    true = where.water * random.uniform(0.85, 1.15)
    water = Compensation("sea-salt" if true > _SEA else "natural-water")
    t, signal, shown_c = probe.dipped(_water(true), where.sample_c)
    sensed = np.asarray(line.value(signal, Conditions(shown_c)))
    read = as_read(principle("conductivity"), HEAD, sensed, Conditions(shown_c), water)
    last, left = accepted(t, read, shown_c, READING)
    at = Conditions(float(shown_c[last].mean()))
    value = float(line.value(signal[last].mean(), at))
    factor = value / max(float(read[last].mean()), 1e-9)
    budget = line.budget(float(signal[last].mean()), at, left_over=left * factor)
    head = next(d for d in derived_from(principle("conductivity"), value, budget, at, water) if d.quantity == HEAD)
    return head.value - true, head.budget.expanded


def _calibrated(random: np.random.Generator, cell: Principle, probe: Probe, where: Where) -> Response:
    below, above = _STANDARDS[where.water]
    points = []
    for use in METHODS[where.method]:
        if use == "air":
            t, signal, shown_c = probe.dipped(lambda warmth: np.zeros(warmth.shape), 22.0)
            points.append(_point(cell, None, t, signal, shown_c))
            continue
        value = below if use == "below" else above
        t_c = where.sample_c if value in _CUBIC and where.sample_c <= 30.0 else 25.0 + random.uniform(-1.5, 1.5)
        conducts, off = _salt(value), 1.0 + random.normal(0.0, 0.01)
        t, signal, shown_c = probe.dipped(lambda warmth, c=conducts, o=off: c(warmth) * o, t_c)  # type: ignore[misc]
        if use != "check":  # a check adjusts nothing: the run before it is carried
            points.append(_point(cell, Bottle("conductivity", "kcl", value), t, signal, shown_c))
    line = fit(cell, points, weights=Weights.RELATIVE)
    return fit(cell, [], line) if "check" in METHODS[where.method] else line


def _point(cell: Principle, bottle: Bottle | None, t: Array, signal: Array, shown_c: Array) -> Point:
    """A point as it is taken: in a bottle, or in dry air."""
    last, left = accepted(t, signal, shown_c, CALIBRATING)
    taken, at = float(signal[last].mean()), Conditions(float(shown_c[last].mean()))
    aim = target(bottle, at) if bottle else Target(0.0, 0.0, known=True)
    return Point(aim.value, taken, at, aim.u, float(np.hypot(cell.u_of(taken), left)), f"{bottle}")


def accepted(t: Array, y: Array, shown_c: Array, rule: SettlingRule) -> tuple[slice, float]:
    """The window in which it was taken as soon as the core says stable, and what was left of its approach."""
    window = first_window(Series.of(t, y, temperature_c=shown_c), rule)
    end = t.size if window is None else int(np.searchsorted(t, window.times[1])) + 1
    found = judge_settling(Series.of(t[:end], y[:end], temperature_c=shown_c[:end]), rule)
    first = found.window[0] if found.window else t[0]
    return slice(int(np.searchsorted(t, first)), end), found.left_over or 0.0


def coverage(where: Where, seed: int, count: int) -> tuple[float, float]:
    """Share of readings within the U stated for them, and the mean U in percent of the water."""
    random = np.random.default_rng(seed)
    found = [one_run_and_reading(random, where) for _ in range(count)]
    errors, stated = (np.array(v) for v in zip(*found, strict=True))
    return float(np.mean(np.abs(errors) <= stated)), float(stated.mean() / where.water * 100.0)
