"""The slow part behind a fast approach: what is known of it beforehand, and what a trace says against it.

Nearly every probe approaches with a second, slower rate: a few percent of the step over minutes (common practice). A
trace of a minute can't show it, so it belongs into what may be left, and into the time left.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brumel.core.settling.rules import Array, SettlingRule

_SEED = 7
_EACH = 6
"""So many shares and so many time constants stand for what is known beforehand."""


@dataclass(frozen=True)
class SlowPart:
    """Slow parts that a trace may have, each as likely as its weight: what is left of them now, and their rates.

    Attributes
    ----------
    left
        What is left of each at the end of the trace, in the judged unit, towards where it came from. Shape (n,).
    taus
        Time constants, s. Shape (n,).
    weights
        How likely each is; their sum is 1. Shape (n,).
    """

    left: Array
    taus: Array
    weights: Array

    def rms(self, ago_s: float) -> float:
        """Return what was left of them so long ago, a root mean square over all."""
        return float(np.sqrt(np.average(np.square(self.left * np.exp(ago_s / self.taus)), weights=self.weights)))

    def likely(self, count: int) -> tuple[Array, Array]:
        """So many equally likely ones, what is left and rates, in an order that leans on none of their properties.

        Every second has none: a probe may be as fast as it looks, and a time left has two ends.
        """
        some = (count + 1) // 2
        at = np.searchsorted(np.cumsum(self.weights), (np.arange(some) + 0.5) / some)
        at = np.minimum(at, self.taus.size - 1)[np.random.default_rng(_SEED).permutation(some)]
        left, taus = np.zeros(count), np.ones(count)
        left[::2], taus[::2] = self.left[at], self.taus[at]
        return left, taus


def slow_part(t: Array, y: Array, rule: SettlingRule, noise: float) -> SlowPart | None:
    """Return the slow parts that a trace since its step may have; None where the rule knows of none.

    Parameters
    ----------
    t, y
        Times, s, from the step on, and values. Shape (n,).
    noise
        Scatter of a value, the display's rounding included.

    Notes
    -----
    Share and time constant are drawn evenly over their logarithms between the rule's ends. A slow part that would
    have moved the newest window by more than it moved is as unlikely as noise makes it.
    """
    if not rule.slow_percent[1] or t.size < 2:
        return None
    shares, taus = (_between(ends) for ends in (rule.slow_percent, rule.slow_s))
    share, tau = (a.ravel() for a in np.meshgrid(shares / 100.0, taus))
    since = t[-1] - t[0]
    recent = t >= t[-1] - rule.window_s
    left = share * (y[0] - float(y[recent].mean())) * np.exp(-since / tau)
    x = t[recent] - t[recent].mean()
    spread = float(x @ x)
    if spread <= 0:
        return SlowPart(left, tau, np.full(tau.shape, 1.0 / tau.size))
    width = float(np.ptp(t[recent]))
    moved = float(x @ y[recent]) / spread * width
    would = left * np.expm1(width / tau)
    more = np.maximum(np.abs(would) - np.abs(moved), 0.0) / max(noise * width / np.sqrt(spread), 1e-12)
    unlike = np.square(more)
    weights = np.exp(-0.5 * (unlike - unlike.min()))
    return SlowPart(left, tau, weights / weights.sum())


def _between(ends: tuple[float, float]) -> Array:
    """Return values evenly over the logarithm between two ends."""
    low, high = np.log(ends)
    return np.asarray(np.exp(low + (high - low) * (np.arange(_EACH) + 0.5) / _EACH))
