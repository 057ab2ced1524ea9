"""Traces of two rates, as nearly every probe has them: how often U and the time left hold, by another hand.

Shares and time constants of the slow part are drawn evenly over their logarithms, from and to as common practice has
them for each kind of probe; sampling from 1 to 10 s, displays of 0.1 and 1 in the signal's unit, stirred or not.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brumel.core.numbers.series import Series
from brumel.core.settling.judgement import judge_settling
from brumel.core.settling.troubles import Settling
from brumel.core.settling.windows import first_window
from brumel.core.shipped_rules import shipped

Ends = tuple[float, float]
_LONGEST_S = 1_500.0
_EXACT_S = 1e-6
"""A rule's least time is due to the sample: 300 − 209 is 91 in whatever order it is summed."""


@dataclass(frozen=True)
class Probe:
    """A kind of probe: its rule, the steps between standards, and both rates, from and to."""

    quantity: str
    step: Ends
    fast_s: Ends
    slow_percent: Ends
    slow_s: Ends


PROBES = {
    "fresh glass": Probe("ph", (60.0, 180.0), (3.0, 15.0), (0.5, 3.0), (60.0, 240.0)),
    "aged glass": Probe("ph", (60.0, 180.0), (10.0, 40.0), (3.0, 10.0), (60.0, 240.0)),
    "ion tip": Probe("ammonium-activity", (40.0, 60.0), (8.0, 40.0), (2.0, 10.0), (60.0, 300.0)),
    "metal in couples": Probe("orp", (60.0, 250.0), (5.0, 20.0), (1.0, 5.0), (30.0, 120.0)),
    "oxygen": Probe("oxygen-saturation", (60.0, 110.0), (8.0, 25.0), (1.0, 5.0), (60.0, 180.0)),
}


@dataclass(frozen=True)
class Row:
    """How it is looked at: the display's step, the sampling, s, whether it is stirred on the way."""

    probe: str
    display: float = 0.1
    every_s: float = 1.0
    stirred: bool = False

    @property
    def words(self) -> str:
        """As a table has it."""
        stir = ", stirred" if self.stirred else ""
        return f"{self.probe}, display {self.display:g}, every {self.every_s:g} s{stir}"


ROWS = [
    *(Row(name) for name in PROBES), *(Row(name, 1.0) for name in PROBES),
    *(Row(name, 0.1, every) for name in PROBES for every in (5.0, 10.0)), *(Row(name, stirred=True) for name in PROBES),
]  # fmt: skip


@dataclass(frozen=True)
class Held:
    """Shares within U (k = 2) and within the interval of the time left, and their median widths."""

    u: float
    median_u: float
    left: float
    median_left_s: float
    traces: int


def held(row: Row, seed: int, count: int) -> Held:
    """Look at so many traces: when they are first stable, and twice before."""
    random = np.random.default_rng([seed, *row.words.encode()])
    rule = shipped().settled(PROBES[row.probe].quantity, calibrating=True)
    covered, stated, kept, widths = [], [], [], []
    for _ in range(count):
        t, y, end, stirred_at = _trace(random, row)
        warm = np.full(t.shape, 21.0)
        window = first_window(Series.of(t, y, temperature_c=warm), rule)
        if window is None:
            continue
        first = window.times[1]
        seen = t <= first
        found = judge_settling(Series.of(t[seen], y[seen], temperature_c=warm[seen]), rule)
        u = 2.0 * float(np.hypot(found.left_over or 0.0, row.display / 12**0.5))
        covered.append(abs((found.value or 0.0) - end) <= u)
        stated.append(u)
        for share in random.uniform(0.25, 0.9, 2):
            seen = t <= share * first
            if share * first < stirred_at + 15.0 or seen.sum() < 8:
                continue  # nobody can tell that it will be stirred
            said = judge_settling(Series.of(t[seen], y[seen], temperature_c=warm[seen]), rule)
            if row.stirred and said.state is Settling.STEPPED:
                continue  # it says so, and promises nothing
            left = first - t[seen][-1]
            low, high = said.remaining_low_s, said.remaining_high_s
            kept.append(low is not None and low - _EXACT_S <= left <= (np.inf if high is None else high) + _EXACT_S)
            widths += [high - low] if low is not None and high is not None else []
    return Held(
        float(np.mean(covered)), float(np.median(stated)), float(np.mean(kept)), float(np.median(widths)), len(covered)
    )


def _trace(random: np.random.Generator, row: Row) -> tuple[np.ndarray, np.ndarray, float, float]:
    """Times, values as displayed, the end, and when it was stirred; 0 where it was not."""
    probe = PROBES[row.probe]
    fast, share, slow = (_drawn(random, ends) for ends in (probe.fast_s, probe.slow_percent, probe.slow_s))
    height, end = random.uniform(*probe.step) * random.choice([-1.0, 1.0]), random.uniform(20.0, 180.0)
    t = np.arange(0.0, _LONGEST_S, row.every_s) + random.uniform(0.0, 0.3)
    y = end + height * ((1.0 - share / 100.0) * np.exp(-t / fast) + share / 100.0 * np.exp(-t / slow))
    at = 0.0
    if row.stirred:
        at = random.uniform(25.0, 60.0)
        y += (t >= at) * random.choice([-1.0, 1.0]) * random.uniform(2.0, 8.0) * np.exp(-np.maximum(t - at, 0.0) / fast)
    y += random.normal(0.0, 0.03 if row.display < 1.0 else 0.1, t.size)
    return t, np.round(y / row.display) * row.display, end, at


def _drawn(random: np.random.Generator, ends: Ends) -> float:
    return float(np.exp(random.uniform(*np.log(ends))))
