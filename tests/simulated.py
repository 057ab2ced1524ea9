"""How often what is said holds: simulations by another hand than the core's, for ``./brumel bench truth``.

The simulations share no line with what they judge but the function that is judged. Sizes are common practice: bottles
off by their certificate, thermometers by ±0.2 °C, an isopotential point of pH 6.5 to 7.5, a junction of 0.02 pH.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brumel.core.numbers.series import Series
from brumel.core.place.conditions import Conditions
from brumel.core.sensing.fit import Point, fit
from brumel.core.sensing.principles import principle
from brumel.core.settling.judgement import Judgement, judge_settling
from brumel.core.settling.rules import SettlingRule
from brumel.core.settling.windows import first_window
from brumel.core.shipped_rules import shipped

Array = NDArray[np.float64]

CALIBRATION_PH = shipped().settled("ph", calibrating=True)
READING_PH = shipped().settled("ph", calibrating=False)
RULES = {
    "calibration": CALIBRATION_PH, "orp": SettlingRule("o", "mV", 2.0, 60.0, 1.3),
    "percent": SettlingRule("p", "µS/cm", 0.1, 20.0, span_percent=0.5, minimum_s=10.0),
}  # fmt: skip


@dataclass(frozen=True)
class Signal:
    """A simulated trace: approaches of one or two rates, noise, a drift, a display's step, a sampling."""

    tau_s: float
    height: float
    noise: float
    step: float = 0.0
    spacing_s: float = 0.5
    slow_share: float = 0.0
    slower: float = 1.0
    drift_per_s: float = 0.0
    end: float = 12.3

    def drawn(self, random: np.random.Generator, length_s: float) -> tuple[Array, Array]:
        """Times and values."""
        t = np.arange(0.0, length_s, self.spacing_s)
        way = (1 - self.slow_share) * np.exp(-t / self.tau_s)
        way += self.slow_share * np.exp(-t / (self.slower * self.tau_s))
        y = self.end + self.height * way + self.drift_per_s * t + random.normal(0.0, self.noise, t.shape)
        return t, np.round(y / self.step) * self.step if self.step else y


@dataclass(frozen=True)
class Kept:
    """How often an interval of the time left held, over so many looks."""

    share: float
    looks: int
    open_end: float
    """Share of looks whose interval had no high end."""
    median_width_s: float


def judged(t: Array, y: Array, rule: SettlingRule = CALIBRATION_PH) -> Judgement:
    """The core's judgement of a trace at one temperature."""
    return judge_settling(Series.of(t, y, temperature_c=np.full(t.shape, 21.0)), rule)


def interval_kept(make: Iterator[Signal], seed: int, traces: int, looks: int = 3) -> Kept:
    """Look at traces before they are stable, and see whether they became so within what was said."""
    random = np.random.default_rng(seed)
    held, widths, open_ends = [], [], 0
    for signal, _ in zip(make, range(traces), strict=False):
        t, y = signal.drawn(random, 900.0)
        rule = CALIBRATION_PH.at(0.0, signal.step)
        window = first_window(Series.of(t, y, temperature_c=np.full(t.shape, 21.0)), rule)
        if window is None:
            continue
        first = window.times[1]
        for share in random.uniform(0.2, 0.95, looks):
            now = share * first
            if now < 12.0:
                continue
            seen = t <= now
            said = judged(t[seen], y[seen])
            if said.remaining_low_s is None:
                held.append(False)
                continue
            low, high = said.remaining_low_s, said.remaining_high_s
            open_ends += high is None
            if high is not None:
                widths.append(high - low)
            left = first - t[seen][-1]
            held.append(low <= left <= (np.inf if high is None else high))
    count = max(len(held), 1)
    return Kept(float(np.mean(held)), len(held), open_ends / count, float(np.median(widths)) if widths else np.nan)


def signals(
    random: np.random.Generator,
    noise: float,
    step: float,
    *,
    slow_share: float = 0.0,
    spacing_s: float | None = None,
) -> Iterator[Signal]:
    """Electrodes of all sorts: fresh to aged, from either side, sampled at one to five a second."""
    while True:
        yield Signal(
            tau_s=float(random.uniform(4.0, 60.0)),
            height=float(random.choice([-1.0, 1.0]) * random.uniform(20.0, 200.0)),
            noise=noise,
            step=step,
            spacing_s=spacing_s or float(random.choice([0.2, 0.5, 1.0])),
            slow_share=slow_share,
            slower=float(random.uniform(1.5, 4.0)),
            end=float(random.uniform(-200.0, 200.0)),
        )


@dataclass(frozen=True)
class Cell:
    """Where the coverage of U is asked for: the electrode's time constant, s, and the sample's temperature, °C."""

    tau_s: float
    sample_c: float


BUFFERS = ((6.865, 25.0), (4.005, 25.0), (9.180, 25.0))
"""Three primary buffers at 25 °C, in the order of the usual run."""
_SPACING_S = 1.0
_K0, _K_PER_DEGREE = 54.1990, 0.198424
"""Nernst slope at 0 °C, mV, and its change a degree: R·ln 10 / F."""


FRESH_S = 10.0
FRESH_PERCENT, AGED_PERCENT, SLOW_S = (0.5, 3.0), (3.0, 10.0), (60.0, 240.0)
"""The slow part of fast glass and of slower, percent of a step, and its time constant, s (common practice)."""
LONGEST_S = 1_200.0


class Electrode:
    """One electrode with its bottles, thermometer and junction, drawn anew: the truth behind a run and a reading."""

    def __init__(self, random: np.random.Generator, tau_s: float) -> None:
        self._random = random
        self._tau_s = tau_s
        self._slope = random.uniform(0.95, 1.02)
        self._zero = random.uniform(-15.0, 15.0)
        self._isopotential = random.uniform(6.5, 7.5)
        self._warm = random.uniform(-0.2, 0.2)
        self._slow_share = _drawn(random, FRESH_PERCENT if tau_s < FRESH_S else AGED_PERCENT) / 100.0
        self._slower = _drawn(random, SLOW_S) / tau_s
        self._stands_at = self._potential(7.0, 22.0)

    def _potential(self, ph: float, temperature_c: float) -> float:
        k = _K0 + _K_PER_DEGREE * temperature_c
        return float(self._zero - self._slope * k * (ph - self._isopotential))

    def dipped(self, ph: float, temperature_c: float) -> tuple[Array, Array, float]:
        """Times, potentials until they are stable, mV, and the thermometer's temperature, °C."""
        end = self._potential(ph, temperature_c)
        signal = Signal(
            self._tau_s, self._stands_at - end, 0.03, spacing_s=_SPACING_S, slow_share=self._slow_share,
            slower=self._slower, end=end,
        )  # fmt: skip
        t, mv = signal.drawn(self._random, LONGEST_S)
        self._stands_at = end
        return t, mv, temperature_c + self._warm


def _drawn(random: np.random.Generator, ends: tuple[float, float]) -> float:
    return float(np.exp(random.uniform(*np.log(ends))))


def one_run_and_reading(random: np.random.Generator, cell: Cell) -> tuple[float, float]:
    """The error of one reading, pH, after a run of three buffers; and the U (k = 2) that was stated for it."""
    electrode = Electrode(random, cell.tau_s)
    points = []
    for ph, temperature_c in BUFFERS:
        t, mv, shown_c = electrode.dipped(ph + random.normal(0.0, 0.01), temperature_c)
        value, left = _accepted(t, mv, CALIBRATION_PH)
        points.append(Point(ph, value, Conditions(shown_c), 0.01, float(np.hypot(0.15, left))))
    line = fit(principle("glass"), points)
    sample = float(random.uniform(6.0, 9.0))
    t, mv, shown_c = electrode.dipped(sample + random.normal(0.0, 0.02), cell.sample_c)
    ph = line.value(mv, Conditions(shown_c))
    value, left = _accepted(t, ph, READING_PH)
    budget = line.budget(line.signal(value, Conditions(shown_c)), Conditions(shown_c), left_over=left)
    return value - sample, budget.expanded


def _accepted(t: Array, y: Array, rule: SettlingRule) -> tuple[float, float]:
    """The value taken as soon as the core says stable, and what the core says was left of its approach."""
    temperature = np.full(t.shape, 21.0)
    window = first_window(Series.of(t, y, temperature_c=temperature), rule)
    last = t.size if window is None else int(np.searchsorted(t, window.times[1])) + 1
    found = judge_settling(Series.of(t[:last], y[:last], temperature_c=temperature[:last]), rule)
    assert found.value is not None
    return found.value, found.left_over or 0.0


def coverage(cell: Cell, seed: int, count: int) -> tuple[float, float]:
    """Share of readings within the U stated for them, and the mean U, pH."""
    random = np.random.default_rng(seed)
    found = [one_run_and_reading(random, cell) for _ in range(count)]
    errors, stated = (np.array(v) for v in zip(*found, strict=True))
    return float(np.mean(np.abs(errors) <= stated)), float(stated.mean())
