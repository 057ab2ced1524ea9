"""The exponential approach of a trace to its end, fitted with all that the trace can't tell from the best fit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit  # a small import, unlike scipy.stats

Array = NDArray[np.float64]

FEWEST_SAMPLES, _MOST_SAMPLES = 8, 400
"""An approach is fitted to at least and at most so many samples, thinned evenly."""


@dataclass(frozen=True)
class Approach:
    """A fitted ``end + height·exp(−t/τ)``, times in s from the first sample of the fit.

    ``candidates`` are rows of (end, height, τ) that the trace can't tell from the best, ``noise`` is the scatter of
    neighbours about the fit.
    """

    end: float
    height: float
    tau_s: float
    candidates: Array
    noise: float
    residuals: Array

    def since(self, seconds: float) -> tuple[float, float, float]:
        """End, height and τ with times counted from so many seconds after the first sample of the fit."""
        return self.end, self.height * float(np.exp(-seconds / self.tau_s)), self.tau_s

    def left(self, change: float, window_s: float, elapsed: float) -> tuple[float, float, float]:
        """Time until it changes by no more than this within a window: best, low, high, s."""

        def until(height: Array, tau: Array) -> Array:
            ratio = np.abs(height) * np.expm1(np.minimum(window_s / tau, 50.0)) / change
            return np.maximum(tau * np.log(np.maximum(ratio, 1e-12)) - elapsed, 0.0)

        best = float(until(np.array([self.height]), np.array([self.tau_s]))[0])
        all_left = until(self.candidates[:, 1], self.candidates[:, 2])
        return best, float(min(all_left.min(), best)), float(max(all_left.max(), best))


def entered(t: Array, y: Array, within_s: float) -> int:
    """The sample from which on the probe is in the liquid: before the steepest step of the first seconds."""
    early = int(np.searchsorted(t, t[0] + within_s))
    if early < 2 or t.size - early < FEWEST_SAMPLES:
        return 0
    return int(np.argmax(np.abs(np.diff(y[:early]) / np.maximum(np.diff(t[:early]), 1e-9))))


def fit_approach(t: Array, y: Array) -> Approach | None:
    """Least squares of ``a + b·exp(−t/τ)`` by variable projection over a grid of τ, zoomed in twice."""
    if t.size > _MOST_SAMPLES:
        keep = np.linspace(0, t.size - 1, _MOST_SAMPLES).astype(int)
        t, y = t[keep], y[keep]
    if t.size < FEWEST_SAMPLES or t[-1] <= t[0]:
        return None
    x = t - t[0]
    duration = x[-1]
    taus = np.geomspace(duration / 60, duration * 20, 40)
    tried: list[tuple[Array, Array]] = []
    for _ in range(3):
        ends_heights, squares, residuals = _project(x, y, taus)
        best = int(np.argmin(squares))
        tried.append((np.column_stack([ends_heights, taus]), squares))
        found = tried[-1][0][best]
        taus = np.geomspace(taus[max(best - 1, 0)], taus[min(best + 1, taus.size - 1)], 15)
    candidates = np.concatenate([c for c, _ in tried])
    all_squares = np.concatenate([s for _, s in tried])
    freedom = max(t.size - 3, 1)
    bound = all_squares.min() * (1 + float(stdtrit(freedom, 0.975)) ** 2 / freedom) + 1e-24
    noise = 1.4826 * float(np.median(np.abs(np.diff(residuals[best])))) / np.sqrt(2.0)
    return Approach(
        end=float(found[0]),
        height=float(found[1]),
        tau_s=float(found[2]),
        candidates=candidates[all_squares <= bound],
        noise=noise,
        residuals=residuals[best],
    )


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
