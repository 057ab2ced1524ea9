"""The exponential approach of a trace to its end, with how likely each time constant is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brumel.core.settling.rules import Array, SettlingRule

FEWEST_SAMPLES, _MOST_SAMPLES = 8, 200
"""An approach is fitted to at least and at most so many samples, thinned evenly."""
_ZOOMS = 4
"""The grid of time constants grows finer by six each time: what its steps leave is then less than any noise."""
_FINEST = 33
"""So many time constants carry the likelihood."""
_JUMP_SPANS, _JUMP_TIMES, _JUST_BEFORE = 4.0, 4.0, 8
"""A jump is so many spans of the rule, and so many times the largest of so many moves before (rule of this product)."""
_FARTHEST = 50.0
"""An approach that began later is told back to no more than so many time constants."""
_WHITE = 1.35
"""One rate explains a trace whose residuals are no more than so much larger than its noise (rule of this product)."""


@dataclass(frozen=True)
class Approach:
    """A fitted ``end + height·exp(−t/τ)``, times in s from the first sample of the fit.

    ``ends``, ``heights``, ``taus`` are rows of other approaches and ``weights`` how likely each is (sum 1); ``noise``
    is the scatter of neighbours, ``scatter`` that of the residuals.
    """

    end: float
    height: float
    tau_s: float
    ends: Array
    heights: Array
    taus: Array
    weights: Array
    noise: float
    scatter: float
    residuals: Array

    def since(self, seconds: float) -> tuple[float, float, float]:
        """End, height and τ with times counted from so many seconds after the first sample of the fit."""
        return self.end, self.height * float(np.exp(min(-seconds / self.tau_s, _FARTHEST))), self.tau_s

    @property
    def explains(self) -> bool:
        """Whether one rate explains the trace: what it leaves is no more than noise."""
        return self.scatter <= _WHITE * self.noise

    def likely(self, count: int) -> tuple[Array, Array, Array]:
        """So many equally likely approaches: ends, heights and time constants. Shapes (count,)."""
        at = np.searchsorted(np.cumsum(self.weights), (np.arange(count) + 0.5) / count)
        at = np.minimum(at, self.taus.size - 1)
        return self.ends[at], self.heights[at], self.taus[at]

    def left(self, value: float, longest_tau_s: float) -> float:
        """How far a value lies from the end, a root mean square over all likely approaches with τ up to a longest."""
        usable = self.taus <= longest_tau_s
        if not usable.any():
            usable = self.taus == self.taus.min()
        weights = self.weights[usable]
        if weights.sum() <= 0:
            weights = np.ones_like(weights)
        return float(np.sqrt(np.average(np.square(self.ends[usable] - value), weights=weights)))


def entered(t: Array, y: Array, within_s: float) -> int:
    """Return the sample from which on the probe is in the liquid: before the steepest step of the first seconds."""
    early = int(np.searchsorted(t, t[0] + within_s))
    if early < 2 or t.size - early < FEWEST_SAMPLES:
        return 0
    return int(np.argmax(np.abs(np.diff(y[:early]) / np.maximum(np.diff(t[:early]), 1e-9))))


def stirred(t: Array, y: Array, rule: SettlingRule) -> int:
    """The sample from which on an approach begins anew, after a stir or a jump on the way; 0 where there was none.

    A jump is many times what the rule allows in a window, and many times what the trace moved from sample to sample
    just before.
    """
    moves = np.abs(np.diff(y))
    for at in np.flatnonzero(moves > _JUMP_SPANS * rule.span)[::-1]:
        before = moves[max(at - _JUST_BEFORE, 0) : at]
        if before.size >= _JUST_BEFORE // 2 and moves[at] > _JUMP_TIMES * max(float(np.max(before)), rule.span / 4.0):
            return int(at) + 1
    return 0


def fit_approach(t: Array, y: Array, resolution: float = 0.0) -> Approach | None:
    """Least squares of ``a + b·exp(−t/τ)`` by variable projection over a grid of τ, zoomed in.

    ``resolution`` is the step of the display, whose rounding is noise too. None where there are too few samples.
    """
    if t.size > _MOST_SAMPLES:
        keep = np.linspace(0, t.size - 1, _MOST_SAMPLES).astype(int)
        t, y = t[keep], y[keep]
    if t.size < FEWEST_SAMPLES or t[-1] <= t[0]:
        return None
    x = t - t[0]
    duration = x[-1]
    freedom = max(t.size - 3, 1)
    taus = np.geomspace(duration / 60, duration * 20, 40)
    for _ in range(_ZOOMS):
        squares = _project(x, y, taus)[1]
        best = int(np.argmin(squares))
        taus = np.geomspace(taus[max(best - 1, 0)], taus[min(best + 1, taus.size - 1)], 13)
    rounding = resolution / np.sqrt(12.0)
    ends_heights, squares, residuals = _project(x, y, taus)
    best = int(np.argmin(squares))
    neighbours = 1.4826 * float(np.median(np.abs(np.diff(residuals[best])))) / np.sqrt(2.0)
    noise = max(neighbours, rounding)
    scatter = float(np.sqrt(squares[best] / freedom))
    variance = max(scatter, noise, 1e-9) ** 2
    if rounding > neighbours:  # rounding of a slow signal is the same for many samples: they count for fewer
        variance *= min(rounding / max(neighbours, 1e-9), 25.0)
    taus = _likely_taus(x, y, float(taus[best]), variance, duration)
    ends_heights, squares, _ = _project(x, y, taus)
    likelihood = np.exp(-(squares - squares.min()) / (2 * variance)) * np.gradient(np.log(taus))
    found = int(np.argmin(squares))
    return Approach(
        end=float(ends_heights[found, 0]),
        height=float(ends_heights[found, 1]),
        tau_s=float(taus[found]),
        ends=ends_heights[:, 0],
        heights=ends_heights[:, 1],
        taus=taus,
        weights=likelihood / likelihood.sum(),
        noise=noise,
        scatter=scatter,
        residuals=residuals[best],
    )


def _likely_taus(x: Array, y: Array, best: float, variance: float, duration: float) -> Array:
    """Time constants that carry the likelihood: where the sum of squares grows by up to 4.5 standard deviations."""
    factors = np.geomspace(1.0005, 1000.0, 20)
    taus = np.clip(best * np.concatenate([1 / factors[::-1], [1.0], factors]), duration / 100, duration * 30)
    squares = _project(x, y, taus)[1]
    near = np.flatnonzero(squares - squares[factors.size] <= 20.0 * variance)
    low, high = taus[max(near[0] - 1, 0)], taus[min(near[-1] + 1, taus.size - 1)]
    return np.geomspace(min(low, best * 0.9999), max(high, best * 1.0001), _FINEST)


def _project(x: Array, y: Array, taus: Array) -> tuple[Array, Array, Array]:
    """For each τ the best (end, height), the sum of squares and the residuals."""
    shapes = np.exp(-x[None, :] / taus[:, None])
    means = shapes.mean(axis=1)
    centred = shapes - means[:, None]
    spread = np.einsum("ij,ij->i", centred, centred)
    heights = centred @ (y - y.mean()) / np.maximum(spread, 1e-300)
    ends = y.mean() - heights * means
    residuals = y[None, :] - ends[:, None] - heights[:, None] * shapes
    return np.column_stack([ends, heights]), np.einsum("ij,ij->i", residuals, residuals), residuals
