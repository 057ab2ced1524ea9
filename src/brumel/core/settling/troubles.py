"""What a trace is that will not settle: it steps, rings, wanders, is noisy, drifts, or turns round."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from brumel.core.settling.approach import FEWEST_SAMPLES, Approach, fit_approach
from brumel.core.settling.rules import Array, SettlingRule
from brumel.core.settling.windows import last_gap_ended, slope_of

_UNEXPLAINED = 0.12
"""So much of the way within a window may an exponential leave unexplained (rule of this product)."""
_UNSLOWED = 0.85
"""An approach slows down by more than this from window to window, unless it takes more than τ = 6 windows."""
DIP_S = 5.0
"""The probe may go into the liquid so long after it is said that it is in; troubles are looked for after that."""
_PIECES = 8
"""Wandering shows in the means of so many pieces of a window."""
_CLEAR = 20.0
"""F of the drift's term from which on a drift against the approach is beyond doubt (rule of this product)."""
_MOST_SAMPLES = 240
_AS_NOISE = 1.5
"""What is left beside approach and line is noise up to so many times the scatter of neighbours."""
_TOO_NOISY = 1.2
"""Noise that usually spreads by so many spans keeps no window (rule of this product)."""


class Settling(StrEnum):
    """What the trace is doing."""

    EMPTY = "empty"
    STARTING = "starting"
    SETTLING = "settling"
    STABLE = "stable"
    WANDERING = "wandering"
    NOISY = "noisy"
    RINGING = "ringing"
    STEPPED = "stepped"
    TURNED = "turned"
    DRIFTING = "drifting"


def name_trouble(t: Array, y: Array, approach: Approach, rule: SettlingRule, resolution: float = 0.0) -> Settling:
    """Tell a trace that settles from one that steps, rings, wanders, is noisy or drifts.

    A trace that is merely slow leaves residuals no larger than its noise; trouble shows as
    residuals that an exponential can't explain, over the last window. While the trace still moves far,
    they may be a share of its way: no electrode is one exponential, and no sample's time is exact.
    """
    recent = t >= max(t[-1] - rule.window_s, t[0] + DIP_S)
    x, recent_y = t[recent], y[recent]
    if x.size < FEWEST_SAMPLES:
        return Settling.SETTLING
    local = fit_approach(x, recent_y, resolution)
    residuals = local.residuals if local is not None else recent_y
    noise = max(approach.noise, rule.span / 100)
    if np.ptp(residuals) > max(rule.span, _UNEXPLAINED * np.ptp(recent_y)) + resolution:
        if _steps(residuals, rule.span, noise):
            return Settling.STEPPED
        if _rings(residuals):
            return Settling.RINGING
        if turns_round(t, y, rule):
            return Settling.TURNED
        if _wanders(residuals, rule.span, resolution):
            return Settling.WANDERING
        if _noise_alone_breaks(residuals, recent_y, rule):
            return Settling.NOISY
    if _drifts(t, y, rule):
        return Settling.DRIFTING
    return Settling.SETTLING


def turns_round(t: Array, y: Array, rule: SettlingRule) -> bool:
    """Say whether a steady drift runs against the approach, so that the trace stands still only where it turns.

    An approach with a straight line beside it is fitted over the last four windows. It is a turn where every time
    constant that explains the trace as well has a drift beyond the rule, against an approach that moved it.
    """
    recent = t >= t[-1] - 4 * rule.window_s
    x, z = t[recent], y[recent]
    if x.size > _MOST_SAMPLES:
        keep = np.linspace(0, x.size - 1, _MOST_SAMPLES).astype(int)
        x, z = x[keep], z[keep]
    if x.size < 2 * FEWEST_SAMPLES or x[-1] - x[0] < rule.window_s:
        return False
    x = (x - x[0]) / rule.window_s
    taus, tried = np.geomspace(0.1, 6.0, 24), []
    for _ in range(3):  # zoomed in twice
        shapes = np.exp(-x[None, :] / taus[:, None])
        design = np.stack([np.ones_like(shapes), shapes, np.broadcast_to(x, shapes.shape)], axis=2)
        found = np.linalg.pinv(design) @ z
        residuals = z[None, :] - np.einsum("kij,kj->ki", design, found)
        squares = np.square(residuals).sum(axis=1)
        at = int(np.argmin(squares))
        tried.append((taus, found, squares, residuals[at]))
        taus = np.geomspace(taus[max(at - 1, 0)], taus[min(at + 1, taus.size - 1)], 9)
    taus, found, squares = (np.concatenate([t[n] for t in tried]) for n in range(3))
    freedom = x.size - 4
    best = float(squares.min())
    noise = _scatter_of_neighbours(tried[-1][3])
    if np.sqrt(best / freedom) > max(_AS_NOISE * noise, rule.span / 10):  # no approach beside a line
        return False
    plain = fit_approach(x, z)
    without = float(np.square(plain.residuals).sum()) if plain else np.inf
    if (without - best) * freedom <= _CLEAR * max(best, 1e-12 * freedom):
        return False
    likely = squares <= best * (1 + 9.0 / freedom) + 1e-12
    heights, drifts = found[likely, 1], found[likely, 2]
    against = (heights * drifts > 0) & (np.abs(drifts) > rule.slope_per_window)
    moved = np.abs(heights) * (1 - np.exp(-x[-1] / taus[likely])) > rule.span
    return bool(np.all(against & moved))


def _drifts(t: Array, y: Array, rule: SettlingRule) -> bool:
    """Say whether it goes on one way from window to window, hardly slower: an approach would have slowed down."""
    end, width = t[-1], rule.window_s
    if end - last_gap_ended(t, rule) < 2 * width + DIP_S:
        return False
    newest, before = t >= end - width, (t >= end - 2 * width) & (t < end - width)
    now, then = slope_of(t[newest], y[newest]) * width, slope_of(t[before], y[before]) * width
    return abs(now) > rule.slope_per_window and now * then > 0 and abs(now) >= _UNSLOWED * abs(then)


def _steps(residuals: Array, span: float, noise: float) -> bool:
    """Say whether one jump between neighbours stands out far above all others."""
    jumps = np.sort(np.abs(np.diff(residuals)))
    return bool(jumps[-1] > max(span, 8 * noise) and jumps[-1] > 2.5 * jumps[-3])


def _rings(residuals: Array) -> bool:
    """Say whether most of what the residuals do is one swing at a steady pace."""
    power = np.abs(np.fft.rfft(residuals)) ** 2
    peak = int(np.argmax(power[1:])) + 1
    around = float(power[max(peak - 1, 1) : peak + 2].sum())
    return peak >= 3 and around > 0.6 * float(power[1:].sum())


def _scatter_of_neighbours(residuals: Array) -> float:
    return float(np.sqrt(np.mean(np.square(np.diff(residuals))) / 2.0))


def _wanders(residuals: Array, span: float, resolution: float) -> bool:
    """Say whether the means of pieces of the window differ by more than the noise of neighbours makes them."""
    pieces = np.array_split(residuals, min(_PIECES, residuals.size // 3))
    means = np.array([p.mean() for p in pieces])
    by_noise = 5.0 * _scatter_of_neighbours(residuals) / np.sqrt(residuals.size / len(pieces))
    return bool(np.ptp(means) > max(by_noise, span / 3) + resolution / 2)


def _noise_alone_breaks(residuals: Array, recent_y: Array, rule: SettlingRule) -> bool:
    """Whether the noise of neighbours spreads by more than the span in most windows, while little is still to come."""
    usual = 2.0 * np.sqrt(2.0 * np.log(max(residuals.size, 2))) * 0.83 * _scatter_of_neighbours(residuals)
    return bool(usual > _TOO_NOISY * rule.span and np.ptp(recent_y) < 2.0 * np.ptp(residuals))
