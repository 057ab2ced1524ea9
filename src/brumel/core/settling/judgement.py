"""When is a reading stable, and how long until it is.

A rule looks at the reading over a window: it must stay within a span, its slope must be below a
limit, and so must the temperature's span. A calibration judges the raw signal, a site reading the
corrected value. Samples carry their own times, which need not be regular. A display of coarse steps may
change its last digit to and fro.

A window that kept the rule is held for one more window, as long as no later sample contradicts it:
one noisy sample does not take away what was just shown as stable. A trace that turns round, because a drift runs
against its approach, stands still without having settled and is not stable.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from brumel.core.numbers.series import Series
from brumel.core.said import Amount, Said, says
from brumel.core.settling.approach import Approach, entered, fit_approach, stirred
from brumel.core.settling.rules import SettlingRule, display_step
from brumel.core.settling.slow import SlowPart, slow_part
from brumel.core.settling.troubles import DIP_S, Settling, name_trouble, turns_round
from brumel.core.settling.waiting import time_left
from brumel.core.settling.windows import held_window, last_gap_ended, window_at

_LATER = (0.5, 0.75)
"""Where the later parts of a trace begin that tell its present rate, as shares of its length."""
_ENOUGH = 2.0
"""A trace of so many windows that has no end in sight drifts, or is noise (rule of this product)."""
_LONGEST_TAU = 10.0
"""What is left of an approach is looked for at time constants of up to so many windows (rule of this product)."""


@dataclass(frozen=True)
class Judgement:
    """What a rule says of a trace.

    ``remaining_s`` is the time left until stable, with ``remaining_low_s … remaining_high_s`` its
    interval; None where it can't be told. ``value`` and ``temperature_c`` are the means over
    the ``window`` (first, last time in s, as the samples count it): the newest, or the one that is
    held; ``left_over`` is how far its mean may still lie from where the approach ends, as a standard uncertainty.
    ``band`` is the tunnel that the trace has to stay in (low, high), ``approach`` the fitted
    (a, b, τ in s) with times counted from the first sample.
    """

    state: Settling
    says: Said
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
    left_over: float | None = None
    band: tuple[float, float] | None = None
    approach: tuple[float, float, float] | None = None

    @property
    def stable(self) -> bool:
        """Whether the rule holds now."""
        return self.state is Settling.STABLE


def said_of(state: Settling) -> Said:
    """Say what state a trace is in."""
    return says(f"settling.{state}")


def judge_settling(trace: Series, rule: SettlingRule, resolution: float | None = None) -> Judgement:
    """Judge a trace by a rule.

    Parameters
    ----------
    trace
        The judged value, in ``rule.unit``, with times that rise, not necessarily regular, and ``temperature_c``.
    resolution
        Step of the display that the values came from, in ``rule.unit``; read off the values where None.

    Returns
    -------
    Judgement
        Stable only if the samples cover the whole window without a gap of more than a third of it.

    Notes
    -----
    The approach to the end value is taken as exponential (first-order settling of an electrode, common practice), with
    a slow part behind it as the rule knows it (:mod:`brumel.core.settling.slow`), which what is left carries. The
    time left and its interval come from likely futures of the trace (:mod:`brumel.core.settling.waiting`), half of them
    with such a part: nine in ten hold, at any noise that the rule accepts. A stir or a jump begins it anew.

    Examples
    --------
    >>> rule = SettlingRule("calibration-ph", "mV", span=0.3, window_s=30.0, slope_per_window=0.2)
    >>> t = np.arange(0, 60, 0.5)
    >>> judge_settling(Series.of(t, 0 * t + 177.2, temperature_c=0 * t + 25.0), rule).state.value
    'stable'
    """
    trace = trace.known()
    if not len(trace):
        return Judgement(Settling.EMPTY, said_of(Settling.EMPTY), 0.0)
    step = display_step(trace.values) if resolution is None else resolution
    return _judged(trace, rule.at(float(trace.values[-1]), step), step)


def _judged(trace: Series, rule: SettlingRule, resolution: float) -> Judgement:
    t, y = trace.times_s, trace.values
    elapsed = float(t[-1] - t[0])
    newest = window_at(trace, t.size - 1, rule)
    held = newest if newest.keeps_rule else held_window(trace, rule)
    start = entered(t, y, DIP_S)
    fits = _fits(t[start:], y[start:], resolution)
    approach = fits[0] if fits else None
    if (held or (newest.covered and newest.signal_settled)) and turns_round(t[start:], y[start:], rule):
        held, state = None, Settling.TURNED
    elif held is not None:
        state = Settling.STABLE
    elif approach is None or elapsed < rule.window_s / 3:
        state = Settling.STARTING
    else:
        state = name_trouble(t[start:], y[start:], approach, rule, resolution)
    slow = slow_part(t[start:], y[start:], rule, approach.noise) if approach else None
    if (anew := stirred(t, y, rule)) > start and (since := _fits(t[anew:], y[anew:], resolution)):
        start, fits, approach = anew, since, since[0]
    said = said_of(state)
    low = best = high = 0.0 if state is Settling.STABLE else None
    if state is Settling.SETTLING:
        unbroken = float(t[-1] - last_gap_ended(t, rule))
        until_covered = max(0.0, rule.window_s - unbroken, rule.minimum_s - elapsed)
        spacing = max(float(np.median(np.diff(t[-200:]))), 1e-3)
        waiting = _warming(trace, start, spacing, rule, until_covered)
        still = newest.covered and newest.signal_settled
        if still:
            said = says("settling.warming", span=Amount(newest.temperature_span, "°C", 2))
            found = waiting
        else:
            found = _later(_time_left(fits, t[start:], spacing, rule, resolution, until_covered, slow), waiting)
        if found is not None and found[1] is not None:
            low, best, high = found
        elif not still and elapsed >= _ENOUGH * rule.window_s:
            flat = abs(newest.slope) <= rule.slope_per_window
            state = Settling.NOISY if flat else Settling.DRIFTING
            said = said_of(state)
    window = held or newest
    centre = approach.end if state is Settling.SETTLING and approach is not None else window.value
    return Judgement(
        state=state,
        says=said,
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
        left_over=_with_slow(_left_over(fits, window.value, rule, settled=held is not None), slow, t, window.times),
        band=(centre - rule.span / 2, centre + rule.span / 2),
        approach=None if approach is None else approach.since(float(t[0] - t[start])),
    )


Fits = list[Approach]
"""The approach fitted to the whole trace and, where one rate does not explain that, to its later parts."""


def _fits(t: np.ndarray, y: np.ndarray, resolution: float) -> Fits:
    whole = fit_approach(t, y, resolution)
    if whole is None:
        return []
    if whole.explains:
        return [whole]
    starts = [int(np.searchsorted(t, t[0] + share * (t[-1] - t[0]))) for share in _LATER]
    return [whole, *(f for s in starts if (f := fit_approach(t[s:], y[s:], resolution)) is not None)]


Left = tuple[float | None, float | None, float | None]
"""Time left at least, most likely and at most, s; None where it is not known."""


def _warming(trace: Series, start: int, spacing_s: float, rule: SettlingRule, earliest_s: float) -> Left | None:
    """Return the time until the temperature is still; None where it is, or nothing tells."""
    t, warmth = trace.times_s[start:], trace.temperature_c[start:]
    recent = warmth[t >= t[-1] - rule.window_s]
    if recent.size < 2 or np.ptp(recent) <= rule.temperature_span_c:
        return None
    own = replace(rule, span=rule.temperature_span_c, slope_per_window=rule.temperature_span_c, span_percent=0.0)
    return _time_left(_fits(t, warmth, display_step(warmth)), t, spacing_s, own, 0.0, earliest_s)


def _later(signal: Left | None, warmth: Left | None) -> Left | None:
    """Return the later of two times left, at each end."""
    if signal is None or warmth is None:
        return signal
    pairs = list(zip(signal, warmth, strict=True))
    low, best, high = (None if None in pair else max(v for v in pair if v is not None) for pair in pairs)
    return low, best, high


def _time_left(
    fits: Fits,
    t: np.ndarray,
    spacing_s: float,
    rule: SettlingRule,
    resolution: float,
    earliest_s: float,
    slow: SlowPart | None = None,
) -> Left | None:
    """Time left at the present rate, and its interval over all fits, s."""
    shares = (0.0, *_LATER)
    duration = float(t[-1] - t[0])
    found = [
        time_left(fit, duration * (1 - share), spacing_s, rule, resolution, earliest_s, slow)
        for fit, share in zip(fits, shares, strict=False)
    ]
    told = [f for f in found if f is not None]
    if not told:
        return None
    highs = [high for *_, high in told if high is not None]
    middles = [middle for _, middle, _ in told if middle is not None]
    if not middles or len(highs) < len(found):
        return min(low for low, _, _ in told), middles[-1] if middles else None, None
    # Where later parts say longer, it may be as much longer again.
    return min(low for low, _, _ in told), middles[-1], max(*highs, 2 * middles[-1] - middles[0])


def _with_slow(left: float | None, slow: SlowPart | None, t: np.ndarray, window: tuple[float, float]) -> float | None:
    """Return what is left of the approach, with what may be left of a slow part in the middle of the window."""
    if left is None or slow is None:
        return left
    return float(np.hypot(left, slow.rms(float(t[-1]) - (window[0] + window[1]) / 2.0)))


def _left_over(fits: Fits, value: float, rule: SettlingRule, *, settled: bool) -> float | None:
    """How far a value may lie from the end of the approach: by the longest part that one rate explains, else the most.

    Of a settled trace, an approach that neither explains its part nor is as fast as any probe says nothing: oxygen in
    mg/L first rises as the probe cools, then falls.
    """
    longest = _LONGEST_TAU * rule.window_s
    explained = [fit for fit in fits if fit.explains][:1]
    telling = explained or [fit for fit in fits if not settled or fit.tau_s <= longest] or fits
    return max((fit.left(value, longest) for fit in telling), default=None)
