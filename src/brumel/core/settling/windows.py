"""A window of a trace measured against a rule."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brumel.core.numbers.series import Series
from brumel.core.settling.rules import Array, SettlingRule, display_step

_EXACT = 1e-9
"""What floating point makes of a difference of readings, as a share of them."""


@dataclass(frozen=True)
class Window:
    """A window of the trace, measured against the rule."""

    times: tuple[float, float]
    value: float
    temperature_c: float
    span: float
    slope: float
    temperature_span: float
    covered: bool
    signal_settled: bool
    temperature_settled: bool

    @property
    def keeps_rule(self) -> bool:
        """Whether the whole rule holds in it."""
        return self.covered and self.signal_settled and self.temperature_settled


def window_at(trace: Series, last: int, rule: SettlingRule) -> Window:
    """Return the window that ends with the sample of this index."""
    t = trace.times_s
    end = float(t[last])
    inside = slice(int(np.searchsorted(t, end - rule.window_s)), last + 1)
    y, temperature = trace.values[inside], trace.temperature_c[inside]
    span, temperature_span = float(np.ptp(y)), float(np.ptp(temperature))
    slope = slope_of(t[inside], y) * rule.window_s
    enough = end - t[0] >= max(rule.window_s, rule.minimum_s)
    exact = _EXACT * float(np.abs(y).max())
    return Window(
        times=(float(t[inside][0]), end),
        value=float(y.mean()),
        temperature_c=float(temperature.mean()),
        span=span,
        slope=slope,
        temperature_span=temperature_span,
        covered=bool(enough and _without_gaps(t[: last + 1], end - rule.window_s, rule)),
        signal_settled=span <= rule.span + exact and abs(slope) <= rule.slope_per_window + exact,
        temperature_settled=temperature_span <= rule.temperature_span_c + _EXACT * float(np.abs(temperature).max()),
    )


def held_window(trace: Series, rule: SettlingRule) -> Window | None:
    """Return the newest earlier window that kept the rule, not older than a window, that nothing since contradicts."""
    t, y = trace.times_s, trace.values
    recent = int(np.searchsorted(t, t[-1] - rule.window_s))
    if np.ptp(y[recent:]) > 2 * rule.span:  # then some sample must lie further than a span from any such window
        return None
    for last in range(t.size - 2, recent - 1, -1):
        window = window_at(trace, last, rule)
        if window.keeps_rule:
            strays = np.abs(y[last + 1 :] - window.value) > rule.span
            warms = np.abs(trace.temperature_c[last + 1 :] - window.temperature_c) > rule.temperature_span_c
            return None if strays.any() or warms.any() else window
    return None


def first_window(trace: Series, rule: SettlingRule) -> Window | None:
    """The first window of the whole trace that kept the rule, as it is where the trace ends; None where none did."""
    t, y = trace.times_s, trace.values
    if t.size == 0:
        return None
    rule = rule.at(float(y[-1]), display_step(y))
    starts = np.searchsorted(t, t - rule.window_s)
    # Where the ends of a window differ by more than the span, so do its samples.
    for last in np.flatnonzero(np.abs(y - y[starts]) <= rule.span * (1 + _EXACT) + _EXACT * np.abs(y)):
        window = window_at(trace, int(last), rule)
        if window.keeps_rule:
            return window
    return None


def slope_of(t: Array, y: Array) -> float:
    """Slope of the straight line through samples by least squares, a second; 0 for one sample."""
    centred = t - t.mean()
    spread = float(centred @ centred)
    return float(centred @ (y - y.mean()) / spread) if spread > 0 else 0.0


def last_gap_ended(t: Array, rule: SettlingRule) -> float:
    """Say when the newest gap that a window can't have ended; the first sample's time where there is none."""
    after = np.flatnonzero(np.diff(t) > rule.longest_gap_s) + 1
    return float(t[after[-1]]) if after.size else float(t[0])


def _without_gaps(t: Array, since: float, rule: SettlingRule) -> bool:
    first = max(int(np.searchsorted(t, since)) - 1, 0)
    return bool(np.max(np.diff(t[first:]), initial=0.0) <= rule.longest_gap_s)
