"""How often what is said holds: simulations by another hand than the core's, for ``./brumel bench truth``.

The simulations share no line with what they judge but the function that is judged. Sizes are common practice: bottles
off by their certificate, thermometers by ±0.2 °C, an isopotential point of pH 6.5 to 7.5, a junction of 0.02 pH.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brumel.core.settling.judgement import Judgement, judge_settling
from brumel.core.settling.rules import CALIBRATION_PH, SettlingRule
from brumel.core.settling.windows import Trace, first_window

Array = NDArray[np.float64]


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
    return judge_settling(t, y, np.full(t.shape, 21.0), rule)


def interval_kept(make: Iterator[Signal], seed: int, traces: int, looks: int = 3) -> Kept:
    """Look at traces before they are stable, and see whether they became so within what was said."""
    random = np.random.default_rng(seed)
    held, widths, open_ends = [], [], 0
    for signal, _ in zip(make, range(traces), strict=False):
        t, y = signal.drawn(random, 900.0)
        rule = CALIBRATION_PH.shown_in_steps(signal.step)
        window = first_window(Trace(t, y, np.full(t.shape, 21.0)), rule)
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
