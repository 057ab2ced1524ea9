"""When is a reading stable, and how long until it is.

A rule looks at the reading over a window: it must stay within a span, its slope must be below a
limit, and so must the temperature's span. A calibration judges the raw signal, a site reading the
corrected value. Samples carry their own times, which need not be regular.

A window that kept the rule is held for one more window, as long as no later sample contradicts it:
one noisy sample does not take away what was just shown as stable.

The time left comes from exponential approaches ``y = a + b·exp(−t/τ)`` fitted to the trace and to its
later parts, with the interval of all τ that they can't tell from the best ones. A trace that will not settle is
called what it is: it wanders, rings, stepped, or drifts.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import ArrayLike

from brumel.core.approach import FEWEST_SAMPLES, Approach, Array, entered, fit_approach

_PATIENCE_S = 900.0
"""Longer than this to wait counts as drifting without settling (rule of this product)."""
_UNEXPLAINED = 0.12
"""So much of the way within a window may an exponential leave unexplained (rule of this product)."""
_UNSLOWED = 0.85
"""An approach slows down by more than this from window to window, unless it takes more than τ = 6 windows."""
_DIP_S = 5.0
"""The probe may go into the liquid so long after it is said that it is in; troubles are looked for after that."""
_LATER = (0.5, 0.75)
"""Where the later parts of a trace begin that tell its present rate, as shares of its length."""


class Settling(StrEnum):
    """What the trace is doing."""

    EMPTY = "empty"
    STARTING = "starting"
    SETTLING = "settling"
    STABLE = "stable"
    WANDERING = "wandering"
    RINGING = "ringing"
    STEPPED = "stepped"
    DRIFTING = "drifting"


WORDS: dict[Settling, str] = {
    Settling.EMPTY: "No samples yet.",
    Settling.STARTING: "The trace has just begun.",
    Settling.SETTLING: "Settling.",
    Settling.STABLE: "Stable.",
    Settling.WANDERING: "Wandering: up and down by more than the rule allows. Stir briefly, then hold still; "
    "look for a loose plug or a bubble at the bulb.",
    Settling.RINGING: "Swinging to and fro at a steady pace: look for a pump, an aerator or a swaying cable.",
    Settling.STEPPED: "Jumped: a bubble, a loose plug, or another solution. Wait for a whole window after the jump.",
    Settling.DRIFTING: "Drifting one way without settling: temperature not yet even, a clogged junction, "
    "or electrolyte leaching.",
}


@dataclass(frozen=True)
class SettlingRule:
    """A rule for stability.

    Attributes
    ----------
    name
        Key of the rule, as stored with a record.
    unit
        Unit of the judged value (``mV``, ``pH``).
    span
        Largest difference within the window, in ``unit``; the bound is included.
    window_s
        Length of the window, s.
    slope_per_window
        Largest change of the fitted straight line over the window, in ``unit``.
    temperature_span_c
        Largest difference of temperature within the window, °C.
    minimum_s
        Least time after immersion, s.
    source
        Where the numbers come from.
    """

    name: str
    unit: str
    span: float
    window_s: float
    slope_per_window: float
    temperature_span_c: float = 0.1
    minimum_s: float = 30.0
    source: str = "rule of this product"


CALIBRATION_PH = SettlingRule("calibration-ph", "mV", span=0.3, window_s=30.0, slope_per_window=0.2)
"""Calibration point of a pH electrode: 0.3 mV (0.005 pH) over 30 s."""
READING_PH = SettlingRule("reading-ph", "pH", span=0.02, window_s=30.0, slope_per_window=0.013)
"""Site reading of pH: 0.02 over 30 s."""

RULES = {rule.name: rule for rule in (CALIBRATION_PH, READING_PH)}


@dataclass(frozen=True)
class Judgement:
    """What a rule says of a trace.

    ``remaining_s`` is the time left until stable, with ``remaining_low_s … remaining_high_s`` its
    interval; None where it can't be told. ``value`` and ``temperature_c`` are the means over
    the ``window`` (first, last time in s, as the samples count it): the newest, or the one that is
    held. ``band`` is the tunnel that the trace has to stay in (low, high), ``approach`` the fitted
    (a, b, τ in s) with times counted from the first sample.
    """

    state: Settling
    words: str
    elapsed_s: float
    window: tuple[float, float] | None = None
    value: float | None = None
    temperature_c: float | None = None
    span: float | None = None
    slope_per_window: float | None = None
    temperature_span_c: float | None = None
    remaining_s: float | None = None
    remaining_low_s: float | None = None
    remaining_high_s: float | None = None
    band: tuple[float, float] | None = None
    approach: tuple[float, float, float] | None = None

    @property
    def stable(self) -> bool:
        """Whether the rule holds now."""
        return self.state is Settling.STABLE


def judge_settling(times_s: ArrayLike, values: ArrayLike, temperatures_c: ArrayLike, rule: SettlingRule) -> Judgement:
    """Judge a trace by a rule.

    Parameters
    ----------
    times_s
        Times of the samples since any moment, s; rising, not necessarily regular. Shape (n,).
    values
        The judged value, in ``rule.unit``. Shape (n,).
    temperatures_c
        Temperature with each sample, °C. Shape (n,).

    Returns
    -------
    Judgement
        Stable only if the samples cover the whole window without a gap of more than a third of it.

    Raises
    ------
    ValueError
        Where the three arrays differ in length.

    Notes
    -----
    The approach to the end value is taken as exponential (first-order settling of an electrode,
    common practice), fitted to the trace and to its later parts, which tell the present rate; the interval of the
    time left spans the profile-likelihood intervals of all of them. It holds nine times in ten for an electrode of one
    rate, and about half of the time for one with a slow tail, of which the trace tells only later.

    Examples
    --------
    >>> t = np.arange(0, 60, 0.5)
    >>> judge_settling(t, np.full(t.shape, 177.2), np.full(t.shape, 25.0), CALIBRATION_PH).state.value
    'stable'
    """
    t, y, temperature = (np.asarray(a, dtype=float) for a in (times_s, values, temperatures_c))
    if not t.shape == y.shape == temperature.shape:
        raise ValueError("times, values and temperatures must have one length")
    known = np.isfinite(t) & np.isfinite(y) & np.isfinite(temperature)
    t, y, temperature = t[known], y[known], temperature[known]
    if t.size == 0:
        return Judgement(Settling.EMPTY, WORDS[Settling.EMPTY], 0.0)
    elapsed = float(t[-1] - t[0])
    newest = _window(t, y, temperature, t.size - 1, rule)
    held = newest if newest.keeps_rule else _held(t, y, temperature, rule)
    window = held or newest

    start = entered(t, y, _DIP_S)
    approach = fit_approach(t[start:], y[start:])
    state, words = Settling.STARTING, WORDS[Settling.STARTING]
    low = high = best = None
    if held is not None:
        state = Settling.STABLE
        best = low = high = 0.0
    elif approach is not None and elapsed >= rule.window_s / 3:
        state = _name_trouble(t, y, approach, rule)
        if state is Settling.SETTLING:
            unbroken = float(t[-1] - _last_gap_ended(t, rule))
            until_covered = max(0.0, rule.window_s - unbroken, rule.minimum_s - elapsed)
            best, low, high = (max(v, until_covered) for v in _time_left(approach, t[start:], y[start:], rule))
            if best > _PATIENCE_S:
                state, best, low, high = Settling.DRIFTING, None, None, None
            elif high > _PATIENCE_S:
                high = None
    if state is not Settling.STARTING:
        words = WORDS[state]
    if state is Settling.SETTLING and newest.covered and newest.signal_settled:
        words = f"The signal is still, the temperature is not: {newest.temperature_span:.2f} °C within the window."
        best = low = high = None
    centre = approach.end if state is Settling.SETTLING and approach is not None else window.value
    return Judgement(
        state=state,
        words=words,
        elapsed_s=elapsed,
        window=window.times,
        value=window.value,
        temperature_c=window.temperature_c,
        span=window.span,
        slope_per_window=window.slope,
        temperature_span_c=window.temperature_span,
        remaining_s=best,
        remaining_low_s=low,
        remaining_high_s=high,
        band=(centre - rule.span / 2, centre + rule.span / 2),
        approach=None if approach is None else approach.since(float(t[0] - t[start])),
    )


@dataclass(frozen=True)
class _Window:
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
        return self.covered and self.signal_settled and self.temperature_settled


def _window(t: Array, y: Array, temperature: Array, last: int, rule: SettlingRule) -> _Window:
    """The window that ends with the sample of this index."""
    end = float(t[last])
    inside = slice(int(np.searchsorted(t, end - rule.window_s)), last + 1)
    w_y, w_temperature = y[inside], temperature[inside]
    span, temperature_span = float(np.ptp(w_y)), float(np.ptp(w_temperature))
    slope = _slope(t[inside], w_y) * rule.window_s
    enough = end - t[0] >= max(rule.window_s, rule.minimum_s)
    return _Window(
        times=(float(t[inside][0]), end),
        value=float(w_y.mean()),
        temperature_c=float(w_temperature.mean()),
        span=span,
        slope=slope,
        temperature_span=temperature_span,
        covered=bool(enough and _without_gaps(t[: last + 1], end - rule.window_s, rule)),
        signal_settled=span <= rule.span and abs(slope) <= rule.slope_per_window,
        temperature_settled=temperature_span <= rule.temperature_span_c,
    )


def _held(t: Array, y: Array, temperature: Array, rule: SettlingRule) -> _Window | None:
    """The newest earlier window that kept the rule, not older than a window, that nothing since contradicts."""
    recent = int(np.searchsorted(t, t[-1] - rule.window_s))
    if np.ptp(y[recent:]) > 2 * rule.span:  # then some sample must lie further than a span from any such window
        return None
    for last in range(t.size - 2, recent - 1, -1):
        window = _window(t, y, temperature, last, rule)
        if window.keeps_rule:
            strays = np.abs(y[last + 1 :] - window.value) > rule.span
            warms = np.abs(temperature[last + 1 :] - window.temperature_c) > rule.temperature_span_c
            return None if strays.any() or warms.any() else window
    return None


def _slope(t: Array, y: Array) -> float:
    centred = t - t.mean()
    spread = float(centred @ centred)
    return float(centred @ (y - y.mean()) / spread) if spread > 0 else 0.0


def _last_gap_ended(t: Array, rule: SettlingRule) -> float:
    """When the newest gap that a window can't have ended; the first sample's time where there is none."""
    after = np.flatnonzero(np.diff(t) > rule.window_s / 3) + 1
    return float(t[after[-1]]) if after.size else float(t[0])


def _without_gaps(t: Array, since: float, rule: SettlingRule) -> bool:
    first = max(int(np.searchsorted(t, since)) - 1, 0)
    return bool(np.max(np.diff(t[first:]), initial=0.0) <= rule.window_s / 3)


def _time_left(whole: Approach, t: Array, y: Array, rule: SettlingRule) -> tuple[float, float, float]:
    """Time left at the present rate, and its interval over the whole trace and its later parts, s.

    An electrode with a slow tail tells of it only later: where later parts say longer, it may be as much longer again.
    """
    starts = [int(np.searchsorted(t, t[0] + share * (t[-1] - t[0]))) for share in _LATER]
    fits = [(whole, t[0]), *((f, t[s]) for s in starts if (f := fit_approach(t[s:], y[s:])) is not None)]
    left = []
    for fit, begin in fits:
        change = max(min(rule.span - 5.0 * fit.noise, rule.slope_per_window), 0.1 * rule.span)
        left.append(fit.left(change, rule.window_s, float(t[-1] - begin)))
    first, last = left[0][0], left[-1][0]
    return last, min(low for _, low, _ in left), max(*(high for _, _, high in left), 2 * last - first)


def _name_trouble(t: Array, y: Array, approach: Approach, rule: SettlingRule) -> Settling:
    """Tell a trace that settles from one that steps, rings, wanders or drifts.

    A trace that is merely slow leaves residuals no larger than its noise; trouble shows as
    residuals that an exponential can't explain, over the last window. While the trace still moves far,
    they may be a share of its way: no electrode is one exponential, and no sample's time is exact.
    """
    recent = t >= max(t[-1] - rule.window_s, t[0] + _DIP_S)
    x, recent_y = t[recent], y[recent]
    if x.size < FEWEST_SAMPLES:
        return Settling.SETTLING
    local = fit_approach(x, recent_y)
    residuals = local.residuals if local is not None else recent_y - recent_y.mean()
    noise = max(approach.noise, rule.span / 100)
    if np.ptp(residuals) > max(rule.span, _UNEXPLAINED * np.ptp(recent_y)):
        if _steps(residuals, rule.span, noise):
            return Settling.STEPPED
        if _rings(residuals):
            return Settling.RINGING
        return Settling.WANDERING
    if _drifts(t, y, rule):
        return Settling.DRIFTING
    return Settling.SETTLING


def _drifts(t: Array, y: Array, rule: SettlingRule) -> bool:
    """Whether it goes on one way from window to window, hardly slower: an approach would have slowed down."""
    end, width = t[-1], rule.window_s
    if end - _last_gap_ended(t, rule) < 2 * width + _DIP_S:
        return False
    newest, before = t >= end - width, (t >= end - 2 * width) & (t < end - width)
    now, then = _slope(t[newest], y[newest]) * width, _slope(t[before], y[before]) * width
    return abs(now) > rule.slope_per_window and now * then > 0 and abs(now) >= _UNSLOWED * abs(then)


def _steps(residuals: Array, span: float, noise: float) -> bool:
    """Whether one jump between neighbours stands out far above all others."""
    jumps = np.sort(np.abs(np.diff(residuals)))
    return bool(jumps[-1] > max(span, 8 * noise) and jumps[-1] > 2.5 * jumps[-3])


def _rings(residuals: Array) -> bool:
    """Whether most of what the residuals do is one swing at a steady pace."""
    power = np.abs(np.fft.rfft(residuals - residuals.mean())) ** 2
    peak = int(np.argmax(power[1:])) + 1
    around = float(power[max(peak - 1, 1) : peak + 2].sum())
    return peak >= 3 and around > 0.6 * float(power[1:].sum())
