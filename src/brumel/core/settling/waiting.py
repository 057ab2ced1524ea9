"""How long until a rule holds: the likely futures of a trace, with its noise and its display, tried against the rule.

The first window that keeps the rule counts, and with noise that is a lucky one: a bound on the drift alone says too
long. So each likely approach is carried on with noise of the trace's own size, in the display's steps, and its first
window that keeps the rule is looked for.
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from brumel.core.settling.approach import Approach
from brumel.core.settling.rules import Array, SettlingRule
from brumel.core.settling.slow import SlowPart

PATIENCE_S = 900.0
"""Longer than this to wait counts as drifting without settling (rule of this product)."""
_FUTURES = 64
_LOW, _HIGH = 0.02, 0.98
_NEVER_KEPT, _LITTLE = 4.0, 0.1
"""A drift of so many times what the rule allows never keeps it; one of so little of it no longer matters."""
_FINEST = 150
"""A window is tried with at most so many samples."""
_END_UNKNOWN = 0.16
"""A still signal's end is unknown by so much of a display's step (rule of this product, from simulations)."""
_EXACT = 1 + 1e-9
_SEED = 20_251


def time_left(
    fit: Approach,
    elapsed_s: float,
    spacing_s: float,
    rule: SettlingRule,
    resolution: float,
    earliest_s: float = 0.0,
    slow: SlowPart | None = None,
) -> tuple[float, float | None, float | None] | None:
    """Time until the rule first holds: low end, middle and high end over the likely futures, s.

    Parameters
    ----------
    fit
        The approach; its times begin ``elapsed_s`` before now.
    spacing_s
        Time between samples.
    resolution
        Step of the display; 0 where none shows.
    earliest_s
        Before this no window is covered by samples, s from now.
    slow
        The slow part that may stand behind the approach.

    Returns
    -------
    tuple
        (low, middle, high): 94 in 100 futures lie between low and high, with half a sample to either side for the
        moment between two samples. Middle and high are None where they lie beyond our patience; the whole is None
        where the low end does.
    """
    sample_s = max(spacing_s, rule.window_s / _FINEST)
    width = max(round(rule.window_s / sample_s), 1) + 1
    ends, heights, taus = fit.likely(_FUTURES)
    heights = heights * np.exp(-elapsed_s / taus)
    allowed = max(rule.span, rule.slope_per_window)
    begin_s = min(float(_until(_NEVER_KEPT * allowed, heights, taus, rule).min()), PATIENCE_S)
    begin = int(max(begin_s, earliest_s - sample_s) / sample_s)
    little = _LITTLE * min(rule.span, rule.slope_per_window)
    slowest_s = float(_until(little, heights, taus, rule).max())
    if slow:
        left, slow_taus = slow.likely(_FUTURES)
        slowest_s = max(slowest_s, float(_until(little, left, slow_taus, rule).max()))
    horizon_s = min(PATIENCE_S, max(slowest_s, earliest_s) + 6 * rule.window_s)
    while True:
        ahead = max(int(horizon_s / sample_s) + 1 - begin, 1)
        t = (np.arange(ahead + width) + 1 + begin - width) * sample_s
        y = heights[:, None] * np.exp(np.minimum(-t[None, :] / taus[:, None], 50.0))
        if slow:
            y = y + left[:, None] * np.exp(np.minimum(-t[None, :] / slow_taus[:, None], 50.0))
        y = _as_displayed(y, ends, fit, resolution)
        keeps = _keeps(y, width, rule)[:, 1:]  # the window that ends now did not
        keeps[:, t[width:] < earliest_s - 1e-9] = False
        found = np.where(keeps.any(axis=1), t[width + np.argmax(keeps, axis=1)], np.inf)
        if horizon_s >= PATIENCE_S or np.mean(np.isfinite(found)) > _HIGH:
            break
        horizon_s = PATIENCE_S
    low, middle, high = np.quantile(found, (_LOW, 0.5, _HIGH), method="nearest")
    if not np.isfinite(low):
        return None
    half = sample_s / 2
    return max(float(low) - half, earliest_s), _or_none(middle), _or_none(high + half)


def _or_none(seconds: float) -> float | None:
    return float(seconds) if np.isfinite(seconds) else None


def _until(change: float, heights: Array, taus: Array, rule: SettlingRule) -> Array:
    """Say when each future moves by no more than this within a window, s from now."""
    with np.errstate(divide="ignore"):
        ratio = np.log(np.abs(heights)) + np.log(np.expm1(np.minimum(rule.window_s / taus, 50.0))) - np.log(change)
    return np.asarray(np.maximum(taus * ratio, 0.0))


def _as_displayed(y: Array, ends: Array, fit: Approach, resolution: float) -> Array:
    """Approaches to nought with the trace's own noise, about their ends in the display's steps where it has some."""
    noise = _own_noise(fit, resolution)
    y = y + noise * _standard_noise(y.size).reshape(y.shape)
    if resolution <= 0:
        return y
    unknown = _END_UNKNOWN * resolution * max(1.0 - 2.0 * noise / resolution, 0.0)
    ends = ends + unknown * _standard_noise(ends.size)
    return np.asarray(np.round((y + ends[:, None]) / resolution) * resolution - ends[:, None])


def _keeps(y: Array, width: int, rule: SettlingRule) -> NDArray[np.bool_]:
    """Say whether each window of so many values along the rows keeps the rule."""
    span = _rolling(np.maximum, y, width) - _rolling(np.minimum, y, width)
    slopes = _rolling_slopes(y, width)
    return (span <= rule.span * _EXACT) & (np.abs(slopes) <= rule.slope_per_window * _EXACT)


def _rolling(extreme: np.ufunc, y: Array, width: int) -> Array:
    """Return the extreme of every window of so many samples along the rows, by windows of twice the width."""
    found, reached = y, 1
    while 2 * reached <= width:
        found = extreme(found[:, :-reached], found[:, reached:])
        reached *= 2
    rest = width - reached
    return np.asarray(found if rest == 0 else extreme(found[:, :-rest], found[:, rest:]))


def _rolling_slopes(y: Array, width: int) -> Array:
    """Return what a straight line through every window of so many values along the rows changes over it."""
    steps = np.arange(width) - (width - 1) / 2
    summed = np.pad(np.cumsum(y, axis=1), ((0, 0), (1, 0)))
    moments = np.pad(np.cumsum(y * np.arange(y.shape[1]), axis=1), ((0, 0), (1, 0)))
    centre = np.arange(y.shape[1] - width + 1) + (width - 1) / 2
    sums = summed[:, width:] - summed[:, :-width]
    return np.asarray((moments[:, width:] - moments[:, :-width] - centre * sums) / (steps @ steps) * (width - 1))


def _own_noise(fit: Approach, resolution: float) -> float:
    """Return the signal's noise before the display rounded it."""
    scatter = fit.scatter if fit.explains else fit.noise
    return float(np.sqrt(max(scatter**2 - resolution**2 / 12.0, 0.0)))


@cache
def _noise_pool(size: int) -> Array:
    return np.random.default_rng(_SEED).standard_normal(size)


def _standard_noise(size: int) -> Array:
    """Return standard normal noise, the same at every call."""
    return _noise_pool(1 << max(size - 1, 1).bit_length())[:size]
