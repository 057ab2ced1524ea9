"""How often "stable" and "not stable" are wrong, and the time left holds, on the physical models of the bench.

Each model goes from one liquid into another; what it comes to in the end is its own hidden truth, which no rule sees.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brumel.core.numbers.series import Series
from brumel.core.settling.judgement import judge_settling
from brumel.core.shipped_rules import shipped
from brumel.devices.simulation.conductivity import ConductivityModel
from brumel.devices.simulation.glass import GlassModel
from brumel.devices.simulation.metal import MetalModel
from brumel.devices.simulation.model import Liquid, Model
from brumel.devices.simulation.oxygen import LuminescenceModel, MembraneModel

Array = NDArray[np.float64]
_BEFORE_S, _LONGEST_S, _EVERY_S = 400.0, 420.0, 5.0
_MARGIN_S = 15.0
"""A trace that has been still for a window and so much more is one that the rule must take."""


@dataclass(frozen=True)
class Kind:
    """One physical model: its quantity, how it is made from a seed, and the liquids that it goes between."""

    quantity: str
    make: Callable[[int], Model]
    liquids: tuple[Liquid, Liquid]


def _liquids(quantity: str, low: float, high: float) -> tuple[Liquid, Liquid]:
    return (
        Liquid("the one", 20.0, {quantity: low}, standard=True),
        Liquid("the other", 23.5, {quantity: high}, standard=True),
    )


KINDS: dict[str, Kind] = {
    "glass": Kind("ph", lambda seed: GlassModel(seed=seed), _liquids("ph", 7.0, 4.0)),
    "metal": Kind("orp", lambda seed: MetalModel(seed=seed), _liquids("orp", 90.0, 230.0)),
    "conductivity": Kind("conductivity", lambda seed: ConductivityModel(seed=seed),
                         _liquids("conductivity", 84.0, 1_413.0)),
    "membrane": Kind("oxygen-saturation", lambda seed: MembraneModel(seed=seed),
                     _liquids("oxygen-saturation", 0.0, 100.0)),
    "luminescence": Kind("oxygen-saturation", lambda seed: LuminescenceModel(seed=seed),
                         _liquids("oxygen-saturation", 0.0, 100.0)),
}  # fmt: skip


@dataclass(frozen=True)
class Tried:
    """Shares of false answers, and how often the interval of the time left held; over so many of each."""

    false_stable: float
    false_not_stable: float
    left_held: float
    looks: int


def tried(name: str, seed: int, count: int) -> Tried:
    """Try the rule for calibrating of a model's quantity so many times."""
    random = np.random.default_rng(seed)
    stable, still, held = [], [], []
    for number in range(count):
        one = _traced(KINDS[name], int(random.integers(1 << 30)), float(random.uniform(0.7, 1.8)), number % 2 == 0)
        false, late, kept = _looked_at(one, KINDS[name].quantity)
        stable.append(false)
        still += late
        held += kept
    return Tried(float(np.mean(stable)), float(np.mean(still or [0.0])), float(np.mean(held or [1.0])), len(held))


@dataclass(frozen=True)
class _Trace:
    t: Array
    y: Array
    temperature_c: Array
    bare: Array
    """The signal without its noise."""
    bare_c: Array
    end: float


def _traced(kind: Kind, seed: int, slower: float, forth: bool) -> _Trace:
    model = kind.make(seed)
    model.settling_s *= slower
    start, goal = kind.liquids if forth else kind.liquids[::-1]
    model.place(start, 0.0)
    model.place(goal, _BEFORE_S)
    t = np.arange(0.0, _LONGEST_S, 1.0)
    read = np.array([model.values(_BEFORE_S + s) for s in t])
    bare = np.array([model.settled_so_far(_BEFORE_S + s) for s in t])
    return _Trace(t, read[:, 1], read[:, 0], bare[:, 0], bare[:, 1], model.signal_in(goal))


def _looked_at(trace: _Trace, quantity: str) -> tuple[bool, list[bool], list[bool]]:
    """Whether the first "stable" was false, each look at a still trace that was, and whether each time left held."""
    rule = shipped().settled(quantity, calibrating=True)
    span = rule.at(trace.end).span
    still_from = _still_from(trace, span, rule.window_s, rule.minimum_s)
    first, false, late = None, False, []
    intervals: list[tuple[float, float, float | None]] = []
    for seconds in np.arange(10.0, _LONGEST_S, _EVERY_S):
        seen = trace.t <= seconds
        found = judge_settling(Series.of(trace.t[seen], trace.y[seen], temperature_c=trace.temperature_c[seen]), rule)
        if found.stable:
            first, false = float(seconds), abs(found.value - trace.end) > span
            break
        if seconds >= still_from:
            late.append(True)
            if len(late) > 3:
                break
        if found.remaining_low_s is not None:
            intervals.append((float(seconds), found.remaining_low_s, found.remaining_high_s))
    if first is None:
        return False, late, []
    kept = [
        at + low - _EVERY_S <= first and (high is None or first <= at + high + _EVERY_S) for at, low, high in intervals
    ]
    return false, [*late, False] if first >= still_from else late, kept


def _still_from(trace: _Trace, span: float, window_s: float, minimum_s: float) -> float:
    """From when on the rule must say stable: its bare signal and temperature are still for a window and a margin."""
    moving = (np.abs(trace.bare - trace.bare[-1]) > span / 4) | (np.abs(trace.bare_c - trace.bare_c[-1]) > 0.02)
    last = float(trace.t[moving][-1]) if moving.any() else 0.0
    return max(last + window_s + _MARGIN_S, minimum_s + _MARGIN_S)
